// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { Measure, Rehearsal, RehearsalResult } from "../api/rehearsals";
import { serve, show } from "../testing/show";
import { against } from "./against";
import { Beside } from "./Beside";
import { Result } from "./Result";
import { inHundreds } from "./remedy";

const latency = (p50: number) => ({
  mean: p50,
  p50,
  p90: 2 * p50,
  p95: 3 * p50,
  p99: 5 * p50,
  p999: 9 * p50,
  max: 20 * p50,
});

const measure = (of: Partial<Measure>): Measure => ({
  statement: null,
  measure: "p50",
  before: 1,
  after: 2,
  ratio: 2,
  low: 1.8,
  high: 2.2,
  confidence: 0.998,
  pairs: 10,
  verdict: "regressed",
  message: null,
  ...of,
});

const side = (p50: number, row: number) => ({
  executions: 5_000,
  errors: 3,
  failures: {},
  retries: 1,
  throughputPerSecond: 500,
  latencyMs: latency(p50),
  serviceMs: latency(p50),
  sessionsInUse: 3.5,
  arrivalsWaiting: 0.2,
  abandoned: 0,
  unsteadyStints: 1,
  waits: [
    { kind: "running", meaning: "running" as const, share: 1 - row },
    { kind: "Lock: tuple", meaning: "row" as const, share: row },
  ],
});

const stint = (pair: number, of: "before" | "after") => ({
  pair,
  side: of,
  at: pair * 4,
  seconds: 1.8,
  executions: 900,
  errors: 0,
  throughputPerSecond: 500 + pair,
  latencyMs: latency(1),
  sessionsInUse: 3,
  arrivalsWaiting: 0,
  abandoned: 0,
  steady: pair !== 1,
  scheduleErrorP99Ms: 0.1,
  senderWasTheLimit: false,
  waits: [],
  bytes: 1_000_000,
});

const result: RehearsalResult = {
  schema: "swift-ledger/rehearsal-result/1",
  headline: "Under this load p50 of all is 2.00x longer, after 10 pairs of stints.",
  state: "finished",
  at: "2026-07-18T17:00:00Z",
  subject: {
    path: "huts.db",
    engine: "SQLite",
    engineVersion: "3",
    bytes: 1,
    settings: {},
    machine: "m",
    loadAverage: 0,
    stolenMs: null,
    notes: [],
  },
  options: {
    sessions: 4,
    rate: null,
    think: "none",
    parts: [{ name: "guests", sessions: 4, rate: null, think: "none", commitEvery: 1, statements: ["book"] }],
    stintSeconds: 2,
    seed: 1,
    tolerancePercent: 10,
    durability: "journal_mode wal, synchronous 2",
    oneSided: false,
    maxSeconds: null,
  },
  pairs: 10,
  measures: [
    measure({}),
    measure({
      measure: "p99",
      ratio: null,
      low: null,
      high: null,
      verdict: "unsettled",
      message: "Shown, not judged: that wants 1 000 executions in a stint.",
    }),
    measure({ measure: "throughput", before: 500, after: 250, ratio: 0.5, low: 0.4, high: 0.6 }),
    measure({ statement: "book", measure: "mean", verdict: "improved", ratio: 0.5, low: 0.4, high: 0.6 }),
    measure({ statement: "book", verdict: "level", ratio: 1, low: 0.98, high: 1.02 }),
  ],
  before: side(1, 0),
  after: side(2, 0.7),
  statements: [{ statement: "book", before: side(1, 0), after: side(2, 0.7) }],
  stints: [stint(0, "before"), stint(0, "after"), stint(1, "after"), stint(1, "before")],
  sender: { scheduleErrorP99Ms: 0.1, cpuShare: 0.2, machineShare: 0.6, pauseMs: 1, wasTheLimit: false },
  findings: [
    {
      kind: "commitsWaitForDisk",
      statement: null,
      title: "Commits wait for the disk",
      evidence: "Of the sessions' time: 40 % before, 2 % after.",
      meaning: "Each commit waits.",
      remedy: "Commit several together.",
      before: 0.4,
      after: 0.02,
    },
  ],
  capacity: null,
  applied: [],
  load: "SELECT 1",
  change: "",
  rules: 1,
  problem: null,
};

const soak: NonNullable<RehearsalResult["soak"]> = {
  seconds: 3600,
  resumed: ["2026-07-18T17:30:00Z"],
  trends: [
    {
      side: "before",
      statement: null,
      measure: "p95",
      atStart: 2,
      atEnd: 5,
      perHour: 3,
      low: 2.5,
      high: 3.5,
      course: "rising",
      told: "p95 of all rises",
    },
    {
      side: "before",
      statement: null,
      measure: "bytes",
      atStart: 1e6,
      atEnd: 2e6,
      perHour: 1e6,
      low: -1e3,
      high: 2e6,
      course: "open",
      told: "may hold or move",
    },
  ],
  plans: [
    {
      side: "before",
      statement: "book",
      at: 1800,
      from: ["SCAN bed"],
      to: ["SEARCH bed"],
      afterRestart: false,
    },
  ],
};

const page = (of: Partial<Rehearsal>): Rehearsal => ({
  id: 3,
  title: "The rush",
  load: "-- part: guests\n-- sessions: 4\nSELECT 1;",
  change: "",
  settings: {
    stintSeconds: 2,
    maxSeconds: 90,
    tolerancePercent: 10,
    journal: null,
    oneSided: false,
    capacity: false,
    limit: null,
    sessions: 8,
    seed: 1,
    soak: false,
  },
  state: "finished",
  createdAt: "2026-07-18T17:00:00Z",
  startedAt: "2026-07-18T17:00:00Z",
  finishedAt: "2026-07-18T17:02:00Z",
  message: null,
  ahead: 0,
  stage: null,
  detail: null,
  now: null,
  stintsDone: 4,
  mostStints: 80,
  result,
  ...of,
});

test("verdicts stand with both sides, and what is only shown is not called unsettled", async () => {
  await show(<Result book={1} page={page({})} remedy={() => {}} />);
  const rows = (await screen.findAllByRole("row")).map((r) => r.textContent ?? "");
  expect(
    rows.some((r) => r.includes("regressed") && r.includes("throughput") && r.includes("2.00x lower")),
  ).toBe(true);
  expect(rows.some((r) => r.includes("not judged") && r.includes("p99"))).toBe(true);
  // Of a statement what moved stands first, the rest one press away.
  expect(rows.filter((r) => r.includes("level"))).toHaveLength(0);
  fireEvent.click(screen.getByRole("button", { name: /all measures/ }));
  expect((await screen.findAllByText("level")).length).toBe(1);
  expect(screen.getAllByText(/in 1 stint sessions in use were not throughput times latency/)).toHaveLength(2);
});

test("pictures are read out by arrow keys", async () => {
  await show(<Result book={1} page={page({})} remedy={() => {}} />);
  const tail = await screen.findByRole("slider", { name: "Latency by percentile" });
  fireEvent.keyDown(tail, { key: "End" });
  expect(tail.getAttribute("aria-valuetext")).toBe("99.9 %: 9.00 ms before, 18.0 ms after");
  const course = screen.getByRole("slider", { name: "Stints in the order they ran" });
  fireEvent.keyDown(course, { key: "End" });
  expect(course.getAttribute("aria-valuetext")).toContain("stint 4, before: 501/s");
  expect(course.getAttribute("aria-valuetext")).toContain("no steady state");
});

test("where the time went stands for both sides", async () => {
  await show(<Result book={1} page={page({})} remedy={() => {}} />);
  const waits = within(await screen.findByRole("region", { name: "Where the time went" }));
  expect(waits.getByText("Lock: tuple").closest("tr")?.textContent).toContain("0 %70.0 %");
});

test("a remedy is one press away, and not while it runs", async () => {
  const remedy = vi.fn();
  await show(<Result book={1} page={page({})} remedy={remedy} />);
  fireEvent.click(await screen.findByRole("button", { name: /commit every 100/ }));
  expect(remedy).toHaveBeenCalledWith(
    "-- part: guests\n-- commit after: every 100\n-- sessions: 4\nSELECT 1;",
    "The rush, committed by hundreds after",
  );
});

test("while it runs it says where it is", async () => {
  await show(
    <Result
      book={1}
      page={page({
        state: "running",
        stage: "measuring",
        now: { pair: 2, side: "after", seconds: 1.2, executions: 640, failed: 0 },
      })}
      remedy={() => {}}
    />,
  );
  expect(await screen.findByRole("progressbar", { name: "Stints" })).toBeTruthy();
  expect(screen.getByText(/now after, 1.20 s into the stint, 640 executed/)).toBeTruthy();
  expect(screen.queryByRole("button", { name: /commit every 100/ })).toBeNull();
});

test("what drifts over a soak stands before anything else, with what is not known", async () => {
  const options = { ...result.options, oneSided: true };
  await show(<Result book={1} page={page({ result: { ...result, options, soak } })} remedy={() => {}} />);
  const over = within(await screen.findByRole("region", { name: "Over its whole length" }));
  expect(over.getByText(/Carried on .* on fresh copies/)).toBeTruthy();
  const [rises, open] = over.getAllByRole("row").slice(2);
  expect(rises?.textContent).toContain("rises");
  expect(rises?.textContent).toContain("+2.50 ms to +3.50 ms");
  expect(open?.textContent).toContain("cannot tell");
  expect(over.getByText("SEARCH bed")).toBeTruthy();
  // One side alone compares nothing: no verdicts.
  expect(screen.queryByText("after / before")).toBeNull();
});

test("the highest rate is shown with what was tried", async () => {
  const tried = [50, 100, 200].flatMap((offered) =>
    (["before", "after"] as const).map((s) => ({
      side: s,
      offered,
      perSecond: Math.min(offered, 150),
      latency: offered / 4,
      held: offered > 100 ? 0 : 3,
      stints: 3,
    })),
  );
  const capacity = {
    limit: "p99 <= 50 ms",
    before: null,
    after: null,
    tried,
    lawBefore: null,
    lawAfter: null,
  };
  await show(
    <Result
      book={1}
      page={page({ result: { ...result, stints: [], measures: [], capacity } })}
      remedy={() => {}}
    />,
  );
  const picture = await screen.findByRole("slider", { name: "What was tried" });
  fireEvent.keyDown(picture, { key: "End" });
  expect(picture.getAttribute("aria-valuetext")).toBe("after, 200/s offered: 150/s, 50.0 ms, held in 0 of 3");
});

test("why nothing came of it is told", async () => {
  await show(
    <Result
      book={1}
      page={page({ state: "refused", message: "no such table: hut", result: null })}
      remedy={() => {}}
    />,
  );
  expect((await screen.findByRole("alert")).textContent).toBe("no such table: hut");
});

test.each([
  ["SELECT 1;", "-- part: all\n-- sessions: 8\n-- commit after: every 100\n\nSELECT 1;"],
  [
    "-- part: a\nSELECT 1;\n-- part: b\nSELECT 2;",
    "-- part: a\n-- commit after: every 100\nSELECT 1;\n-- part: b\n-- commit after: every 100\nSELECT 2;",
  ],
  ["-- part: a\n-- rate: 5/second\nSELECT 1;", undefined],
  ["-- part: a\n-- commit after: every 9\nSELECT 1;", undefined],
])("the remedy of %j", (load, expected) => {
  expect(inHundreds(load)).toBe(expected);
});

test("two rehearsals stand side by side, each against its own before side", async () => {
  const other = {
    ...result,
    measures: [measure({ ratio: 4, low: 3.6, high: 4.4, before: 3, after: 12 })],
    options: {
      ...result.options,
      parts: result.options.parts.map((p) => ({ ...p, sessions: p.sessions + 1 })),
    },
  };
  serve({ "GET /api/books/1/rehearsals/8": { ...page({ id: 8, title: "Another" }), result: other } });
  await show(<Beside book={1} page={page({ result })} other={8} close={() => {}} />);
  const row = (await screen.findByRole("rowheader", { name: "p50" })).closest("tr");
  expect(row?.textContent).toContain("12.0 ms");
  expect(row?.textContent).toContain("0.500");
  expect(screen.getByText(/They do not send the same/)).toBeTruthy();
});

test("a factor of factors is as wide as both intervals allow, and none without them", () => {
  const by = against(measure({}), measure({ ratio: 4, low: 2, high: 8 }));
  expect(by).toEqual({ ratio: 0.5, low: 1.8 / 8, high: 2.2 / 2 });
  expect(against(measure({ low: null }), measure({}))).toBeUndefined();
  expect(against(measure({}), measure({ ratio: 0, low: 0, high: 0 }))).toBeUndefined();
});
