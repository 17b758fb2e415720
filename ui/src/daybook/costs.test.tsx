// @vitest-environment happy-dom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { serve, show } from "../testing/show";
import { CapturedFindings } from "./CapturedFindings";
import { Departures } from "./Departures";
import { Tables } from "./Tables";

const row = (table: string, over: object = {}) => ({
  table,
  readSeconds: 10,
  writeSeconds: 0,
  readShare: 0.5,
  writeShare: 0,
  readCalls: 100,
  writeCalls: 0,
  statements: 2,
  ...over,
});

test("tables tell reads and writes apart, and one narrows the statements", async () => {
  const set = vi.fn();
  serve({
    "GET /api/books/1/tables": [
      row("parcel", { writeSeconds: 4, writeCalls: 7 }),
      row("depot", { readCalls: 0, writeCalls: 3 }),
    ],
  });
  await show(<Tables book={1} narrowing={{ table: "depot" }} set={set} />);
  const rows = within(await screen.findByRole("table"))
    .getAllByRole("row")
    .slice(1);
  expect(rows.map((r) => [...r.querySelectorAll("td")].slice(0, 5).map((c) => c.textContent))).toEqual([
    ["parcel", "2", "10.0", "4.00", "107"],
    ["depot", "2", "", "0", "3"],
  ]);
  fireEvent.click(screen.getByRole("button", { name: "parcel" }));
  expect(set).toHaveBeenLastCalledWith({ table: "parcel" });
  fireEvent.click(screen.getByRole("button", { name: "depot", pressed: true }));
  expect(set).toHaveBeenLastCalledWith({ table: undefined });
});

test("of many tables the dearest are shown at first", async () => {
  serve({ "GET /api/books/1/tables": Array.from({ length: 30 }, (_, i) => row(`t${i}`)) });
  await show(<Tables book={1} narrowing={{}} set={() => {}} />);
  await screen.findByRole("table");
  expect(screen.getAllByRole("button", { name: /^t\d+$/ }).length).toBe(12);
  fireEvent.click(screen.getByRole("button", { name: "all 30 tables" }));
  expect(screen.getAllByRole("button", { name: /^t\d+$/ }).length).toBe(30);
});

const departure = (over: object = {}) => ({
  of: "statement",
  name: "select note from parcel",
  hash: "00ab",
  from: "2026-07-13T19:00:00Z",
  to: "2026-07-13T20:00:00Z",
  seconds: 8,
  usual: 2,
  why: ["about as many calls as usual in these hours", "each call took 4.00 times as long"],
  course: [
    { at: "2026-07-13T18:00:00Z", seconds: 2, usual: 2, low: 1, high: 3 },
    { at: "2026-07-13T19:00:00Z", seconds: 8, usual: 2, low: 1, high: 3 },
    { at: "2026-07-13T20:00:00Z", seconds: 0, usual: 0, low: 0, high: 0.2 },
  ],
  ...over,
});
const departures = (found: object[], tooShort = false) => ({
  "GET /api/books/1/departures": { tooShort, falseShare: 0.001, departures: found },
});

test("a departure says how much, when, and why, and leads to its hours", async () => {
  const set = vi.fn();
  serve(departures([departure()]));
  await show(<Departures book={1} narrowing={{}} set={set} />);
  expect(await screen.findByText("4.00 times the usual")).toBeTruthy();
  expect(
    screen.getByText("About as many calls as usual in these hours; each call took 4.00 times as long."),
  ).toBeTruthy();
  expect(screen.getByRole("img", { name: /8.00 s where 2.00 are usual/ })).toBeTruthy();
  expect(screen.getByRole("link", { name: "select note from parcel" }).getAttribute("href")).toBe(
    "/books/1/statements/00ab",
  );
  fireEvent.click(screen.getByRole("button", { name: /2026-07-13/ }));
  expect(set).toHaveBeenLastCalledWith({ from: "2026-07-13T19:00:00Z", to: "2026-07-13T20:00:00Z" });
});

test("less than usual, nothing at all, and what usually is not there are told in their words", async () => {
  serve(
    departures([
      departure({ seconds: 1 }),
      departure({ seconds: 0, from: "2026-07-14T19:00:00Z" }),
      departure({ usual: 0, of: "table", name: "parcel", hash: null }),
      departure({ of: "all", name: "", hash: null }),
    ]),
  );
  const set = vi.fn();
  await show(<Departures book={1} narrowing={{}} set={set} />);
  expect(await screen.findByText("2.00 times less than usual")).toBeTruthy();
  expect(screen.getByText("nothing at all")).toBeTruthy();
  expect(screen.getByText("usually nothing")).toBeTruthy();
  expect(screen.getByText(/by everything together/)).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "parcel" }));
  expect(set).toHaveBeenLastCalledWith({ table: "parcel" });
});

test("a capture that is too short, or without a departure, says which of the two", async () => {
  serve(departures([], true));
  await show(<Departures book={1} narrowing={{}} set={() => {}} />);
  expect(await screen.findByText(/told from four days on/)).toBeTruthy();
});

test("without a departure it says so", async () => {
  serve(departures([]));
  await show(<Departures book={1} narrowing={{}} set={() => {}} />);
  expect(await screen.findByText(/No hour took more or less/)).toBeTruthy();
});

test("what could not be read says so", async () => {
  serve({});
  await show(
    <>
      <Departures book={1} narrowing={{}} set={() => {}} />
      <Tables book={1} narrowing={{}} set={() => {}} />
      <CapturedFindings book={1} narrowing={{}} />
    </>,
  );
  await waitFor(() => expect(screen.getAllByText("Refused for the test.").length).toBe(3));
});

test("findings of captures stand the costliest first, each with its statement and its word", async () => {
  const finding = (title: string) => ({
    kind: "wholeTableForFewRows",
    title,
    text: "parcel is read whole.",
    operator: 0,
    share: 0.9,
    remedy: "",
    places: [],
  });
  serve({
    "GET /api/books/1/findings": Array.from({ length: 12 }, (_, i) => ({
      hash: `00a${i}`,
      text: `select ${i}`,
      secondsPerDay: 40 - i,
      at: "2026-07-13T19:00:00Z",
      finding: finding(`Found ${i}`),
    })),
  });
  await show(<CapturedFindings book={1} narrowing={{}} />);
  expect((await screen.findByRole("link", { name: "Found 0" })).getAttribute("href")).toBe(
    "/glossary#wholeTableForFewRows",
  );
  expect(screen.queryByText("select 11")).toBeNull();
  fireEvent.click(screen.getByRole("button", { name: "all 12" }));
  expect(screen.getByText("select 11")).toBeTruthy();
});
