import { expect, test } from "vitest";
import type { Pattern, Point } from "../api/daybook";
import { columns, measureOf, measures, shareOf } from "./measures";

const point: Point = {
  at: "2026-07-06T00:00:00Z",
  calls: 7200,
  errors: 3,
  seconds: 90,
  p50Ms: 1,
  p95Ms: 4,
  p99Ms: 9,
  p999Ms: 30,
  worstMs: 31,
  rowsReturned: null,
  rowsRead: 3600,
  rowsWritten: 0,
};

test("rates are per unit of time whatever the stretch", () => {
  expect(measureOf("time").of(point, 60)).toBe(90);
  expect(measureOf("time").of(point, 1)).toBe(5400);
  expect(measureOf("calls").of(point, 60)).toBe(2);
  expect(measureOf("read").of(point, 60)).toBe(1);
  expect(measureOf("errors").of(point, 30)).toBe(6);
});

test("percentiles do not depend on the stretch", () => {
  expect(measureOf("p95").of(point, 60)).toBe(measureOf("p95").of(point, 1));
});

test("what the capture does not tell is nothing, not zero", () => {
  expect(measureOf("returned").of(point, 60)).toBeNull();
  expect(measureOf("written").of(point, 60)).toBe(0);
});

test("an unknown measure is time in the database", () => {
  expect(measureOf("nonsense")).toBe(measures[0]);
  expect(measureOf(undefined)).toBe(measures[0]);
});

test("a pattern's columns leave blank what is not known", () => {
  const pattern = {
    seconds: 12.345,
    calls: 1234,
    averageMs: null,
    rowsReadPerReturned: null,
    share: 0.99999,
  } as Pattern;
  const shown = Object.fromEntries(
    columns.map((c) => [c.rank, c.of({ ...pattern, p95Ms: 2, worstMs: 3 } as Pattern)]),
  );
  expect(shown.total).toBe("12.3");
  expect(shown.calls).toBe("1\u202F234");
  expect(shown.average).toBe("");
  expect(shown.rowsReadPerReturned).toBe("");
  expect(shareOf(pattern)).toBe("99.999 %");
});
