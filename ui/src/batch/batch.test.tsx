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
  uncounted: null as number | null,
  plans,
});
const batch = {
  headline: "90 % of 1 s went to statement 2 (line 20), executed 200 times.",
  executions: 203,
  milliseconds: 1000,
  uncounted: null as number | null,
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

const page = (over: object = {}) => ({
  id: 7,
  script: "UPDATE parcel SET weight = 1;",
  state: "finished",
  createdAt: "2026-07-18T09:00:00Z",
  startedAt: "2026-07-18T09:00:01Z",
  finishedAt: "2026-07-18T09:01:00Z",
  message: null,
  ahead: 0,
  behind: false,
  progress: null,
  result: batch,
  ...over,
});
const listed = [
  {
    id: 7,
    state: "finished",
    createdAt: "2026-07-18T09:00:00Z",
    finishedAt: null,
    headline: batch.headline,
    message: null,
    begins: "UPDATE parcel SET weight = 1;",
  },
];

async function open(of: object, at = "/books/1/batch?run=7") {
  serve({
    "GET /api/books/1": book,
    "GET /api/books/1/scripts": listed,
    "GET /api/books/1/scripts/7": of,
    "POST /api/books/1/scripts": of,
  });
  return show(<BatchView />, "/books/$bookId/batch", at);
}

async function run(answer: object) {
  const view = await open(page({ result: answer }), "/books/1/batch");
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
  expect(await screen.findByRole("heading", { name: "Statement 1: its plan" })).toBeTruthy();
  expect(screen.getByText("This kind of statement has none.")).toBeTruthy();
});

test("a script that ended early says where and why", async () => {
  await run({ ...batch, failure: { statement: 7, line: 70, message: "no such table: x" } });
  expect(screen.getByRole("alert").textContent).toBe(
    "Ended at statement 7 of the script, line 70: no such table: x",
  );
});

test("an address brings back the script, its result and the statement that was looked at", async () => {
  const view = await open(page(), "/books/1/batch?run=7&statement=1");
  expect(await screen.findByRole("heading", { name: "Statement 1: its plan" })).toBeTruthy();
  expect(view.container.querySelector(".cm-content")?.textContent).toContain("UPDATE parcel");
  expect(screen.getByRole("button", { name: "Run it again" })).toBeTruthy();
});

test("while it runs it tells the statement, the repeats, the time, and what cost the most until now", async () => {
  const progress = {
    statement: 12,
    of: 400,
    line: 31,
    executions: 1011,
    milliseconds: 2500,
    currentMilliseconds: 3400,
    counted: true,
    costliest: [statement(3, 0.7, 900)],
  };
  await open(page({ state: "running", result: null, progress }));
  expect(await screen.findByText(/Statement 12 of 400/)).toBeTruthy();
  expect(screen.getByText(/line 31, for 3.40 s/)).toBeTruthy();
  expect(screen.getByText(/1.011 executed in 2.50 s/)).toBeTruthy();
  expect(screen.getByRole("progressbar").getAttribute("aria-valuenow")).toBe("12");
  fireEvent.click(screen.getByRole("button", { name: /weight = 3/ }));
  expect(await screen.findByRole("heading", { name: "Statement 3: its plan" })).toBeTruthy();
  expect(screen.getByRole("button", { name: "Cancel" })).toBeTruthy();
});

test("a script behind a trial says what it waits for", async () => {
  await open(page({ state: "running", behind: true, result: null }));
  expect(
    await screen.findByRole("heading", { name: "Waits until the trial that is being measured is over" }),
  ).toBeTruthy();
});

test("the price of counting stands beside the result", async () => {
  const plain = { ...statement(2, 0.9, 200), uncounted: 500 };
  await open(page({ result: { ...batch, uncounted: 600, statements: [plain] } }));
  expect(await screen.findByText(/1.00 s with everything counted, 600 ms without/)).toBeTruthy();
  expect(screen.getByRole("columnheader", { name: "without" })).toBeTruthy();
  expect(screen.getByRole("row", { name: /900 ms 500 ms 200/ })).toBeTruthy();
});

test("a script that was refused says why, and may be run again", async () => {
  await open(page({ state: "refused", result: null, message: "The database is gone." }));
  expect((await screen.findByRole("alert")).textContent).toBe("The database is gone.");
  expect(screen.getByRole("button", { name: "Run it again" })).toBeTruthy();
});
