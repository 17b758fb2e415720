// @vitest-environment happy-dom
import { EditorView } from "@codemirror/view";
import { act, fireEvent, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { comparison } from "../testing/plans";
import { serve, show } from "../testing/show";
import { BatchView } from "./BatchView";

const book = { book: { name: "Depot" }, changes: [], trials: [] };
const statement = (number: number, share: number, calls: number, plans: object[] = []) => ({
  number,
  pattern: "00ff",
  sql: `UPDATE parcel SET weight = ${number}`,
  line: number * 10,
  calls,
  milliseconds: share * 1000,
  share,
  slowest: 3,
  rowsVisited: 1200,
  rows: 0,
  plans,
});
const batch = {
  headline: "90 % of 1 s went to statement 2 (line 20), executed 200 times.",
  executions: 203,
  milliseconds: 1000,
  failure: null as object | null,
  statements: [
    statement(2, 0.9, 200, [{ calls: 200, milliseconds: 900, plan: { ...comparison({ after: null }) } }]),
    statement(1, 0.1, 3),
  ],
  blocks: [
    { depth: 0, statement: null, times: 200, milliseconds: 1000 },
    { depth: 1, statement: 2, times: 200, milliseconds: 900 },
    { depth: 1, statement: 1, times: 3, milliseconds: 100 },
  ],
  blockCount: 3,
};

async function run(answer: object) {
  serve({ "GET /api/books/1": book, "POST /api/books/1/batch": answer });
  const view = await show(<BatchView />, "/books/$bookId/batch", "/books/1/batch");
  const button = await screen.findByRole("button", { name: "Run on a copy" });
  expect((button as HTMLButtonElement).disabled).toBe(true);
  const editor = EditorView.findFromDOM(view.container.querySelector(".cm-editor") as HTMLElement);
  act(() => editor?.dispatch({ changes: { from: 0, insert: "UPDATE parcel SET weight = 1;" } }));
  fireEvent.click(button);
  await screen.findByRole("heading", { name: batch.headline });
}

test("a script's statements stand the costliest first, its loops in their order", async () => {
  await run(batch);
  const statements = within(screen.getByRole("region", { name: "Statements" }));
  const rows = statements.getAllByRole("row").map((r) => r.textContent ?? "");
  expect(rows[1]).toMatch(/^90\.0 %900 ms200.*weight = 2$/);
  expect(rows[2]).toMatch(/^10\.0 %100 ms3.*weight = 1$/);
  expect(rows[3]).toMatch(/^1\.00 s203all$/);
  const order = within(screen.getByRole("region", { name: "What it repeats" }));
  expect(
    order
      .getAllByRole("row")
      .slice(1)
      .map((r) => r.textContent),
  ).toEqual(["loop200100 %", "statement 220090.0 %", "statement 1310.0 %"]);
});

test("the costliest statement's plan is open at once, another one by choice", async () => {
  await run(batch);
  expect(screen.getByRole("heading", { name: "Statement 2: its plan" })).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "statement 1" }));
  expect(screen.getByRole("heading", { name: "Statement 1: its plan" })).toBeTruthy();
  expect(screen.getByText("This kind of statement has none.")).toBeTruthy();
});

test("a script that ended early says where and why", async () => {
  await run({ ...batch, failure: { statement: 7, line: 70, message: "no such table: x" } });
  expect(screen.getByRole("alert").textContent).toBe(
    "Ended at statement 7 of the script, line 70: no such table: x",
  );
});
