// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { show } from "../testing/show";
import { type Block, confluence, mostOf, outline, thickness } from "./confluence";
import { Picture } from "./Picture";

const sql = "SELECT * FROM parcel p, depot d, city c WHERE p.depot = d.id AND d.name = 'x'";
const place = (text: string) => ({ start: sql.indexOf(text), length: text.length });

type Table = Block["tables"][number];

const table = (name: string, of: Partial<Table> = {}): Table => ({
  operator: null,
  table: name,
  alias: name.charAt(0),
  place: place(`${name} ${name.charAt(0)}`),
  holds: { rows: 1000, counted: true },
  passing: { rows: 1000, counted: true },
  conditions: [],
  indexes: [],
  columns: [],
  apart: false,
  optional: false,
  ...of,
});

const block = (of: Partial<Block> = {}): Block => ({
  place: place(sql),
  isOuter: true,
  tables: [
    table("depot", {
      operator: 0,
      conditions: [place("d.name = 'x'")],
      passing: { rows: 10, counted: false },
      indexes: [{ name: "depot_name", columns: ["name", "id"], leading: 1, used: true, rowsPerKey: 2 }],
      columns: [{ name: "name", distinct: 500, nullFraction: 0, commonest: 0.25 }],
    }),
    table("parcel", { operator: 1, passing: { rows: 1000, counted: true } }),
    table("city", { apart: true, holds: null, passing: null }),
  ],
  ties: [{ tables: [1, 0], place: place("p.depot = d.id") }],
  joins: [
    { tables: [0, 1], leaving: { rows: 40, counted: true } },
    { tables: [0, 1, 2], leaving: null },
  ],
  folds: "",
  result: null,
  endsEarly: false,
  statement: null,
  ...of,
});

test("strands bend into the one that the plan begins with, and what nothing ties breaks off", () => {
  const drawn = confluence(block(), 300, 1000);
  expect(drawn.stations.map((s) => [s.join, s.y, s.tables])).toEqual([
    [0, 17, [0, 1]],
    [1, 17, [0, 1, 2]],
  ]);
  expect(drawn.breaks.map((b) => [b.table, b.y])).toEqual([[2, 85]]);
  expect(drawn.end).toEqual({ x: 300, y: 17 });
  const bent = drawn.stretches.filter((s) => s.from.y !== s.to.y);
  expect(bent.map((s) => s.from.y)).toEqual([51]);
  for (const s of drawn.stretches) {
    expect(outline(s)).not.toContain("NaN");
  }
});

test("what hangs together breaks off as one, and so does what meets a table that nothing ties", () => {
  const two = [table("depot"), table("parcel"), table("city", { apart: true }), table("area")];
  const ties = [
    { tables: [0, 1], place: place("p.depot = d.id") },
    { tables: [2, 3], place: place("p.depot = d.id") },
  ];
  const bushy = [
    { tables: [2, 3], leaving: null },
    { tables: [0, 1], leaving: null },
    { tables: [0, 1, 2, 3], leaving: null },
  ];
  expect(confluence(block({ tables: two, ties, joins: bushy }), 300, 10).breaks.map((b) => b.table)).toEqual([
    2,
  ]);
  const first = [table("city", { apart: true }), table("depot"), table("parcel")];
  const after = [
    { tables: [0, 1], leaving: null },
    { tables: [0, 1, 2], leaving: null },
  ];
  const drawn = confluence(
    block({ tables: first, ties: [{ tables: [1, 2], place: place("p.depot = d.id") }], joins: after }),
    300,
    10,
  );
  expect(drawn.breaks.map((b) => b.table)).toEqual([1]);
});

test("thickness goes by powers of ten on the scale of all pictures, and is never nothing", () => {
  expect(mostOf([block()])).toBe(1000);
  expect(mostOf([])).toBe(10);
  expect(thickness(1000, 1000)).toBe(16);
  expect(thickness(31, 1000)).toBeCloseTo(8, 0);
  expect([thickness(0, 1000), thickness(null, 1000)]).toEqual([1, 1]);
});

test("a table that is chosen shows its text and what serves it, and leads to the plan", async () => {
  const chosen: unknown[] = [];
  await show(<Picture blocks={[block()]} sql={sql} side="after" choose={(c) => chosen.push(c)} />);
  expect(screen.getByText("joined by nothing")).toBeTruthy();
  fireEvent.click(await screen.findByRole("button", { name: /depot/, pressed: false }));
  expect(chosen).toEqual([{ side: "after", at: 0 }]);
  for (const text of [
    "d.name = 'x'",
    "p.depot = d.id",
    "depot d",
    /used by the plan/,
    /about 500 different values, the commonest in 25\.0 % of the rows, never without/,
  ]) {
    expect(screen.getAllByText(text).length).toBeGreaterThan(0);
  }
});

test("the statements of a unit are drawn one by one, each under its number", async () => {
  await show(
    <Picture
      blocks={[block({ statement: 1 }), block({ statement: 2 }), block({ statement: 2, isOuter: false })]}
      sql={sql}
      side="before"
    />,
  );
  expect(await screen.findByText("statement 1")).toBeTruthy();
  expect(screen.getByText("statement 2")).toBeTruthy();
  expect(screen.getByText("a query within it")).toBeTruthy();
  expect(screen.queryByText("the query")).toBeNull();
});

test("a join that is chosen shows what ties it, or that nothing does", async () => {
  await show(<Picture blocks={[block()]} sql={sql} side="before" />);
  const first = await screen.findByRole("button", { name: "Join of d, p: 40 rows leave it" });
  fireEvent.keyDown(first, { key: "Enter" });
  expect(screen.getByText("p.depot = d.id")).toBeTruthy();
  fireEvent.click(
    screen.getByRole("button", { name: "Join of d, p, c: nobody knows how many rows leave it" }),
  );
  expect(screen.getByText(/every row meets every row/)).toBeTruthy();
  expect(within(screen.getByRole("table")).getAllByText("not known").length).toBeGreaterThan(0);
});
