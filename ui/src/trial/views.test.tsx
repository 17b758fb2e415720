// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { Schemas } from "../api/client";
import { comparison } from "../testing/plans";
import { serve, show } from "../testing/show";
import { line, linePage, trial } from "../testing/trial";
import { BillPanel } from "./BillPanel";
import { LinePanel } from "./LinePanel";
import { LinesTable } from "./LinesTable";
import { Progress } from "./Progress";
import { SamplesChart } from "./SamplesChart";
import { Unlike } from "./Unlike";

type ResultTime = Schemas["ResultTime"];

const statements = () =>
  screen
    .getAllByRole("row")
    .map((r) => within(r).queryByRole("button", { name: /^statement_/ })?.textContent)
    .filter(Boolean);

test("what hurts stands at the top of a trial, and the bill at its foot", async () => {
  await show(<LinesTable page={trial()} head={null} selected={null} open={() => {}} />);
  await screen.findByText("regressed");
  expect(statements()).toEqual(["statement_2 1", "statement_3 1", "statement_1 1"]);
  expect(screen.getByText("3.00x dearer")).toBeTruthy();
  expect(screen.getByRole("rowheader", { name: /database-seconds a day/ })).toBeTruthy();
  expect(screen.getByRole("link", { name: "bill" }).getAttribute("href")).toBe("/glossary#bill");
  expect(screen.getByText("3.19x cheaper")).toBeTruthy();
});

test("lines are filtered by verdict and by text, and the empty list says so", async () => {
  await show(<LinesTable page={trial()} head={null} selected={null} open={() => {}} />);
  fireEvent.click(await screen.findByLabelText("regressed 1"));
  expect(statements()).toEqual(["statement_2 1"]);
  fireEvent.change(screen.getByLabelText("Search statements and values"), { target: { value: "hut=3" } });
  expect(screen.getByText("No line passes this filter.")).toBeTruthy();
});

test("a head sorts by its column, and once more the other way", async () => {
  const lines = [2, 9, 5].map((ms, i) =>
    line(i + 1, { time: { ...(line(1).result.time as ResultTime), beforeMs: ms } }),
  );
  await show(<LinesTable page={trial({ lines })} head={null} selected={null} open={() => {}} />);
  await screen.findByText("statement, case");
  const head = screen.getAllByRole("columnheader")[2] as HTMLElement;
  fireEvent.click(within(head).getByRole("button"));
  expect(head.getAttribute("aria-sort")).toBe("descending");
  expect(statements()).toEqual(["statement_2 1", "statement_3 1", "statement_1 1"]);
  fireEvent.click(within(head).getByRole("button"));
  expect(statements()).toEqual(["statement_1 1", "statement_3 1", "statement_2 1"]);
});

test("the slash key goes to the search, and a line opens by its name", async () => {
  const open = vi.fn();
  await show(<LinesTable page={trial()} head={null} selected={null} open={open} />);
  fireEvent.click(await screen.findByText("statement_2"));
  expect(open).toHaveBeenCalledWith(2);
  fireEvent.keyDown(document.body, { key: "/" });
  expect(document.activeElement).toBe(screen.getByLabelText("Search statements and values"));
});

test("a line under way says what it waits for, one that a cancelled trial left says it was not settled", async () => {
  const open = line(1, { verdict: null }, "measuring");
  const { unmount } = await show(
    <LinesTable
      page={trial({ lines: [open] }, { state: "running" })}
      head={null}
      selected={null}
      open={() => {}}
    />,
  );
  expect(await screen.findByText("measuring")).toBeTruthy();
  unmount();
  await show(
    <LinesTable
      page={trial({ lines: [open] }, { state: "cancelled" })}
      head={null}
      selected={null}
      open={() => {}}
    />,
  );
  expect(await screen.findByText("not settled")).toBeTruthy();
});

test("the bill names what moved it, sums the rest, and its parts make its total", async () => {
  const open = vi.fn();
  await show(<BillPanel page={trial()} open={open} />);
  expect(await screen.findByText("2 other lines")).toBeTruthy();
  const total = screen.getByText("all").closest("tr") as HTMLElement;
  expect(within(total).getByText("\u221228.3")).toBeTruthy();
  fireEvent.click(screen.getByText("statement_1 1"));
  expect(open).toHaveBeenCalledWith(1);
});

test("what the bill leaves out is listed once the trial has ended, not before", async () => {
  const bill = {
    ...trial().bill,
    leftOut: [{ line: 2, statement: "slow", case: "1", reason: "failed", untimed: false, called: true }],
  };
  const { unmount } = await show(<BillPanel page={trial({ bill }, { state: "running" })} open={() => {}} />);
  await screen.findByText("How it was measured");
  expect(screen.queryByText("Not in the bill")).toBeNull();
  unmount();
  await show(<BillPanel page={trial({ bill })} open={() => {}} />);
  expect((await screen.findByText("Not in the bill")).nextElementSibling?.textContent).toBe("slow 1: failed");
});

test("an empty bill says what it would be", async () => {
  await show(<BillPanel page={trial({ bill: { ...trial().bill, items: [] } })} open={() => {}} />);
  expect(await screen.findByText(/The bill is calls a day times mean time/)).toBeTruthy();
});

test("results come in five forms", async () => {
  await show(<BillPanel page={trial()} open={() => {}} />);
  await screen.findByText("JSON");
  for (const [name, format] of [
    ["JSON", "json"],
    ["CSV", "csv"],
    ["Markdown", "md"],
    ["JUnit XML", "xml"],
    ["HTML", "html"],
  ]) {
    expect(screen.getByText(name as string).getAttribute("href")).toBe(`/api/trials/4/result.${format}`);
  }
});

test("a waiting trial says how many are ahead of it", async () => {
  await show(<Progress page={trial({}, { state: "waiting", ahead: 2 })} />);
  expect(await screen.findByText(/Waits for its turn: 2 ahead of it/)).toBeTruthy();
});

test("a running trial says what is settled, what is measured, and how long it may take", async () => {
  const lines = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10].map((n) => line(n, {}, n <= 5 ? "ended" : "measuring"));
  const startedAt = new Date(Date.now() - 20_000).toISOString();
  const stage = { stage: "measuring" as const, detail: "huts (1)", ended: 5, total: 10, confirming: true };
  await show(<Progress page={trial({ lines, stage }, { state: "running", startedAt })} />);
  const bar = await screen.findByRole("progressbar");
  expect([bar.getAttribute("aria-valuenow"), bar.getAttribute("aria-valuemax")]).toEqual(["5", "10"]);
  expect(
    screen.getByText(
      /5 of 10 lines settled, 2\d s so far, about 2\d s to go; confirming: measuring huts \(1\)/,
    ),
  ).toBeTruthy();
});

test("what later rules make of a trial stands beside what was decided, and not in its place", async () => {
  const anew = [
    {
      number: 2,
      decidedAt: "2026-11-28T09:00:00Z",
      rules: 2,
      headline: "0 of 3 regressed",
      otherwise: [
        {
          line: 2,
          statement: "statement_2",
          case: "1",
          first: "regressed" as const,
          now: "unsettled" as const,
          basis: "time" as const,
          message: "This machine could not tell.",
        },
      ],
    },
  ];
  const asked = serve({ "POST /api/trials/4/decide": trial() });
  await show(
    <BillPanel
      page={trial({ anew, decidedBy: { version: 1, today: 2, decidedAt: "2026-07-18T09:01:00Z" } })}
      open={() => {}}
    />,
  );
  expect(await screen.findByText(/by version 1 of the rules; today's are version 2/)).toBeTruthy();
  expect(screen.getByText(/by version 2: 0 of 3 regressed/)).toBeTruthy();
  expect(screen.getByText(/: unsettled, and regressed first/)).toBeTruthy();
  fireEvent.click(screen.getByText("Decide anew"));
  await vi.waitFor(() => expect(asked.some((a) => a.path.endsWith("decide"))).toBe(true));
});

const block = (beforeUs: number, afterUs: number, leftOut = false): Schemas["BlockView"] => ({
  atSeconds: 0,
  beforeFirst: true,
  beforeUs,
  afterUs,
  switches: 0,
  stolenMs: 0,
  leftOut,
});

test("every block is drawn, hollow before and solid after, and what was left out is counted", async () => {
  const { container } = await show(
    <SamplesChart blocks={[block(1000, 2000), block(1100, 2100, true)]} confirming={[block(900, 1900)]} />,
  );
  const chart = await screen.findByRole("img");
  expect(chart.getAttribute("aria-label")).toBe("3 blocks between 0.900 and 2.10 ms");
  expect(container.querySelectorAll('circle[fill="none"]').length).toBeGreaterThanOrEqual(3);
  expect(screen.getByText("second session")).toBeTruthy();
  expect(screen.getByText(/1 crossed: left out/)).toBeTruthy();
});

test("a line states its verdict, its reason and whether the rows are the same, then its evidence", async () => {
  serve({ "GET /api/trials/4/lines/2": linePage() });
  await show(<LinePanel trial={4} line={2} live={false} close={() => {}} limits={[]} />);
  expect(await screen.findByText("Confirmed in a second session on fresh copies.")).toBeTruthy();
  expect(screen.getByText("Time and work disagree.")).toBeTruthy();
  expect(screen.getByText("same rows (7)")).toBeTruthy();
  expect(screen.getByText(/with 99.9 % confidence, 20/).textContent).toContain(
    "with 99.9 % confidence, 20 blocks; the shaded band counts as level",
  );
  expect(screen.getByText("engine steps")).toBeTruthy();
});

test("rows that differ are said with both counts, and a rewrite shows both texts", async () => {
  const differing = line(2, {
    verdict: "failed",
    sameRows: false,
    time: null,
    before: {
      ...line(1).result.before,
      onlyHere: { columns: [{ name: "id", type: "integer" }], rows: [["12"], ["13"]], count: 7 },
    },
    after: {
      ...line(1).result.after,
      rows: 6,
      onlyHere: { columns: [{ name: "id", type: "text" }], rows: [], count: 0 },
    },
  });
  serve({ "GET /api/trials/4/lines/2": linePage({ line: differing, afterSql: "SELECT 2" }) });
  await show(<LinePanel trial={4} line={2} live={false} close={() => {}} limits={[]} />);
  expect(await screen.findByText("rows differ: 7 before, 6 after")).toBeTruthy();
  const before = screen.getByRole("region", { name: "Only before: 2 of 7 rows" });
  expect([...before.querySelectorAll("td")].map((c) => c.textContent)).toEqual(["12", "13"]);
  expect(screen.getByText("None only after.")).toBeTruthy();
  expect(screen.getByLabelText("SQL of the statement").textContent).toBe("SELECT 1");
  expect(screen.getByLabelText("SQL of the rewrite").textContent).toBe("SELECT 2");
});

test("a line that leaves its standing plan says so, on its page and in the list", async () => {
  serve({
    "GET /api/trials/4/lines/2": linePage({
      plans: comparison(),
      leavesStanding: true,
      standing: { shape: "x", outline: "", note: "", since: "2026-03-01T10:00:00Z" },
    }),
    "GET /api/books/1/pins": [],
  });
  const shown = await show(<LinePanel trial={4} line={2} live={false} close={() => {}} limits={[]} />);
  expect(await screen.findByText(/leaves the statement's standing plan since 2026-03-01/)).toBeTruthy();
  expect(screen.getByText("parcel is now read whole.")).toBeTruthy();
  shown.unmount();
  const left = { ...line(1), leavesStanding: true };
  await show(
    <LinesTable page={trial({ lines: [left, line(2)] })} head={null} selected={null} open={() => {}} />,
  );
  expect((await screen.findAllByText("leaves its standing plan")).length).toBe(1);
});

test("readings that are no comparison claim no change", async () => {
  const side = { ...line(1).result.before, serverMs: 4, coldMs: 9 };
  const result = { ...line(2).result, before: side, after: { ...side, serverMs: 8, medianMs: 4 } };
  serve({ "GET /api/trials/4/lines/2": linePage({ line: { ...line(2), result } }) });
  await show(<LinePanel trial={4} line={2} live={false} close={() => {}} limits={[]} />);
  const cells = (label: string) =>
    within(screen.getByText(label).closest("tr") as HTMLElement)
      .getAllByRole("cell")
      .map((c) => c.textContent);
  await screen.findByText("median, ms");
  expect(cells("median, ms")).toEqual(["2.00", "4.00", "2.00x dearer"]);
  expect(cells("in the server alone, ms")).toEqual(["4.00", "8.00", ""]);
  expect(cells("first on a fresh connection, ms")).toEqual(["9.00", "9.00", ""]);
  expect(cells("rows returned or changed")).toEqual(["7", "7", "same"]);
});

test("what sets copies apart is said at once, and all of it a step away", async () => {
  const none = await show(<Unlike notes={[]} />);
  expect(none.container.textContent).toBe("");
  none.unmount();
  await show(<Unlike notes={["No row is the subject's own.", "12 rows are made."]} />);
  const first = await screen.findByText("No row is the subject's own.");
  expect(first.tagName).toBe("SUMMARY");
  expect(within(first.closest("details") as HTMLElement).getByText("12 rows are made.")).toBeTruthy();
});

test("settings are those of the engine", async () => {
  const environment = {
    engine: "PostgreSQL",
    engineVersion: "17.2",
    settings: { shared_buffers: "128MB", work_mem: "4MB", random_page_cost: "4" },
    subjectBytes: 1 << 20,
    machine: "two cores",
    loadAverage: 0.5,
    notes: null,
  };
  await show(<BillPanel page={trial({ environment })} open={() => {}} />);
  expect(
    await screen.findByText("PostgreSQL 17.2; shared buffers 128MB, work memory 4MB, random page cost 4"),
  ).toBeTruthy();
});

test("a line that work decided without a block shows the ratio of work, and the bill says why it is empty", async () => {
  const work = { counter: "vmSteps", before: 10, after: 2360 };
  const lines = [
    line(1, { verdict: "regressed", basis: "work", time: null, work }),
    line(2, { verdict: "level", basis: "work", time: null, work: { ...work, after: 10 } }),
  ];
  const page = trial({ lines, bill: { ...trial().bill, items: [] } });
  const { unmount } = await show(<LinesTable page={page} head={null} selected={null} open={() => {}} />);
  expect(await screen.findByText("236x dearer")).toBeTruthy();
  expect(screen.queryByText("same")).toBeNull();
  unmount();
  await show(<BillPanel page={page} open={() => {}} />);
  expect(await screen.findByText(/No line that says how often it is called has blocks enough/)).toBeTruthy();
});

test("a difference under the floor says so in the list, and too few blocks show no interval", async () => {
  const few = { ...(line(1).result.time as ResultTime), low: null, high: null, confidence: null, blocks: 3 };
  const lines = [
    line(1, {
      reason: { code: "underFloor", difference: 0.1, floor: 2 } as never,
      message: "Under the floor.",
    }),
    line(2, { verdict: "unsettled", time: few }),
  ];
  await show(<LinesTable page={trial({ lines })} head={null} selected={null} open={() => {}} />);
  expect((await screen.findByText("floor")).getAttribute("title")).toBe("Under the floor.");
  expect(screen.getAllByRole("row").filter((r) => r.querySelector("svg[role=img]")).length).toBeLessThan(2);
});

const limit = (
  state: Schemas["TrialLimitView"]["state"],
  at: number,
  onLine: number | null,
): Schemas["TrialLimitView"] => ({
  line: onLine,
  name: onLine === null ? "all statements" : `statement_${onLine} (1)`,
  title: "work",
  limit: onLine === null ? "bill at most 5 % dearer" : "work <= 300",
  at,
  state,
  sentence: "2 230 vmSteps; 300 are allowed.",
});

test("a line tells the limits that the change breaks on it, at once and with their figures", async () => {
  serve({ "GET /api/trials/4/lines/2": linePage() });
  await show(
    <LinePanel
      trial={4}
      line={2}
      live={false}
      close={() => {}}
      limits={[limit("broken", 47, 2), limit("kept", 48, 2)]}
    />,
  );
  expect((await screen.findByText(/The change breaks/)).textContent).toBe("The change breaks work <= 300.");
  expect(screen.getByText(/2 230 vmSteps/).textContent).toBe(
    "broken work <= 300: 2 230 vmSteps; 300 are allowed.",
  );
  expect(screen.getByText("1 of 2 limits is kept.")).toBeTruthy();
});

test("limits that the change breaks stand with the bill, each with its line, and the kept ones as a number", async () => {
  const open = vi.fn();
  const limits = [
    limit("broken", 47, 2),
    limit("broken", 2, null),
    limit("notJudged", 53, 3),
    limit("kept", 4, 1),
    limit("noted", 5, null),
  ];
  await show(<BillPanel page={{ ...trial(), limits }} open={open} />);
  await screen.findByText("What must hold");
  expect(screen.getAllByText("broken").length).toBe(2);
  expect(screen.getByText("1 of 4 limits is kept.")).toBeTruthy();
  expect(screen.getByText(/^1 more is held by a check alone/)).toBeTruthy();
  expect(screen.queryByRole("button", { name: "all statements" })).toBeNull();
  fireEvent.click(screen.getByRole("button", { name: "statement_2 (1)" }));
  expect(open).toHaveBeenCalledWith(2);
});

test("a workload that states no limit has none to tell of", async () => {
  await show(<BillPanel page={trial()} open={() => {}} />);
  await screen.findByText(/what a day of this workload costs/);
  expect(screen.queryByText("What must hold")).toBeNull();
});
