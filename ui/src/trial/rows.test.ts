import { expect, it } from "vitest";
import type { LineView } from "../api/client";
import { countsOf, rowsOf } from "./rows";

const line = (number: number, statement: string, verdict: string | null, ratio: number): LineView =>
  ({
    state: "ended",
    result: { number, statement, binds: `hut=${number}`, verdict, before: {}, after: {}, time: { ratio } },
  }) as unknown as LineView;

const lines = [
  line(1, "beds", "level", 1),
  line(2, "arrivals", "regressed", 3),
  line(3, "prices", null, 0.5),
];

it("sorts what hurts to the top", () => {
  expect(rowsOf(lines, { key: "verdict", down: false }, new Set(), "").map((l) => l.result.number)).toEqual([
    2, 1, 3,
  ]);
});

it("sorts by change both ways", () => {
  expect(rowsOf(lines, { key: "change", down: true }, new Set(), "").map((l) => l.result.number)).toEqual([
    2, 1, 3,
  ]);
});

it("filters by verdict and by text in names and values", () => {
  expect(rowsOf(lines, null, new Set(["level", "regressed"]), "HUT=2").map((l) => l.result.number)).toEqual([
    2,
  ]);
});

it("counts lines without a verdict as open", () => {
  expect(countsOf(lines).get("open")).toBe(1);
});
