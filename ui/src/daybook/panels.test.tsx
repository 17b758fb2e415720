// @vitest-environment happy-dom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { Schemas } from "../api/client";
import type { Effect, Repeat } from "../api/daybook";
import { serve, show } from "../testing/show";
import { DeploymentList } from "./DeploymentList";
import { EffectPanel } from "./EffectPanel";
import { LogEvents } from "./LogEvents";
import { ReadCapture } from "./ReadCapture";
import { RecordDeployment } from "./RecordDeployment";
import { Repeats } from "./Repeats";
import { StatementsFoot } from "./StatementsFoot";
import { WhoseLoad } from "./WhoseLoad";

const deployment = {
  id: 3,
  at: "2026-07-11T10:00:00.000Z",
  version: "3.3",
  what: "Tidy up indexes",
  script: "DROP INDEX parcel_note;",
  noticed: false,
};
const effect = (hash: string, movement: Effect["movement"], ratio: number | null): Effect => ({
  hash,
  text: `select ${hash}`,
  movement,
  mix: "",
  mixMoved: false,
  atEqualMix: null,
  message: "40 calls before, 60 after.",
  beforeSecondsPerDay: 1,
  afterSecondsPerDay: 8,
  changePerDay: 7,
  callsBeforePerDay: 10,
  callsAfterPerDay: 10,
  ratio,
  low: ratio && ratio * 0.9,
  high: ratio && ratio * 1.1,
  calls: null,
  failures: null,
  moves: [],
  ofMoreCalls: 0,
  ofDearerCalls: 7,
});
const account = {
  deployment,
  beforeFrom: "2026-07-09T14:00:00Z",
  afterTo: "2026-07-14T16:00:00Z",
  beforeSecondsPerDay: 21.5,
  afterSecondsPerDay: 42.8,
  ofMoreCalls: 24.2,
  ofDearerCalls: -2.9,
  patterns: 4,
  pages: [
    {
      page: "GET /board",
      unitsBefore: 400,
      unitsAfter: 300,
      perUnitBefore: 12,
      perUnitAfter: 3,
      msBefore: 9,
      msAfter: 4,
      moved: true,
    },
  ],
  effects: [
    effect("aa", "regressed", 8),
    effect("bb", "new", null),
    effect("cc", "level", 1),
    effect("dd", "unsettled", 1.1),
  ],
};

test("a deployment's account says first what happened, and hides what did not move", async () => {
  serve({ "GET /api/books/1/deployments/3": account });
  await show(<EffectPanel book={1} deployment={3} whose={{}} close={() => {}} />);
  expect(
    await screen.findByText(
      /^1 of 4 regressed, 1 level, 1 unsettled, 1 new; time in the database went from 21.5 to 42.8 s a day$/,
    ),
  ).toBeTruthy();
  expect(
    screen.getByText("+24.2 s a day of more or fewer calls, -2.90 s a day of dearer or cheaper ones"),
  ).toBeTruthy();
  expect(screen.getByText("GET /board").parentElement?.textContent).toContain(
    "sends 12.0 before, 3.00 since",
  );
  expect(screen.getByText("select aa")).toBeTruthy();
  expect(screen.getByText("select bb")).toBeTruthy();
  expect(screen.queryByText("select cc")).toBeNull();
  fireEvent.click(screen.getByText("and 2 that are level or unsettled"));
  expect(screen.getByText("select cc")).toBeTruthy();
});

test("its regressed statements go to a trial of its script", async () => {
  const asked = serve({ "GET /api/books/1/deployments/3": account });
  const { router } = await show(<EffectPanel book={1} deployment={3} whose={{}} close={() => {}} />);
  fireEvent.click(await screen.findByText("Take it to a trial"));
  await waitFor(() => expect(router.state.location.pathname).toBe("/new"));
  // Nothing is kept before the trial starts.
  expect(asked.some((a) => a.method === "POST")).toBe(false);
  expect(router.state.location.search).toMatchObject({ book: 1, deployment: 3, take: "aa" });
});

test("Escape closes it, and a refusal is said with a way to try again", async () => {
  serve({});
  const close = vi.fn();
  await show(<EffectPanel book={1} deployment={3} whose={{}} close={close} />);
  expect((await screen.findByRole("alert")).textContent).toContain("Refused for the test.");
  fireEvent.keyDown(window, { key: "Escape" });
  expect(close).toHaveBeenCalledOnce();
});

const daybook: Schemas["DaybookPage"] = {
  bookId: 1,
  bookName: "Depot",
  from: "2026-07-06T00:00:00Z",
  to: "2026-07-20T00:00:00Z",
  courseFrom: "2026-07-06T00:00:00Z",
  courseTo: "2026-07-20T00:00:00Z",
  apart: [],
  stretchMinutes: 60,
  sources: [],
  deployments: [
    deployment,
    {
      ...deployment,
      id: 4,
      version: "",
      what: "Schema change",
      script: "CREATE INDEX i ON t(a);\nANALYZE;",
      noticed: true,
    },
  ],
  course: [],
  files: [
    {
      name: "a.log",
      source: "db1",
      form: "pg-csv",
      bytes: 2048,
      statements: 12,
      readAt: "2026-07-20T00:00:00Z",
      rejected: [{ reason: "A duration is no number of milliseconds.", count: 2, firstLine: 7 }],
    },
  ],
};

test("a schema change that nobody announced is named by what it did", async () => {
  serve({ "GET /api/books/1/repeats": [] });
  const open = vi.fn();
  await show(<DeploymentList page={daybook} narrowing={{}} set={() => {}} open={open} />);
  const row = (await screen.findByText("not announced")).closest("tr") as HTMLElement;
  fireEvent.click(within(row).getByText("CREATE INDEX i ON t(a);"));
  expect(open).toHaveBeenCalledWith(4);
});

test("what of a capture was not understood stands beside its file", async () => {
  serve({ "GET /api/books/1/repeats": [] });
  await show(<DeploymentList page={daybook} narrowing={{}} set={() => {}} open={() => {}} />);
  expect(await screen.findByText(/2 not understood, first in line 7: A duration is no number/)).toBeTruthy();
});

test("without deployments it says how to record one", async () => {
  serve({ "GET /api/books/1/repeats": [] });
  await show(
    <DeploymentList page={{ ...daybook, deployments: [] }} narrowing={{}} set={() => {}} open={() => {}} />,
  );
  expect(await screen.findByText(/None is known/)).toBeTruthy();
});

test("a deployment is recorded, and a refusal keeps what was written", async () => {
  const asked = serve({});
  await show(<RecordDeployment book={1} />);
  fireEvent.change(await screen.findByLabelText("version"), { target: { value: "3.4" } });
  fireEvent.click(screen.getByText("Record"));
  expect((await screen.findByRole("alert")).textContent).toBe("Refused for the test.");
  expect(asked[0]?.body).toEqual({ at: "", version: "3.4", what: "", script: "" });
  expect((screen.getByLabelText("version") as HTMLInputElement).value).toBe("3.4");
});

const repeat: Repeat = {
  beforeHash: "aa",
  beforeText: "select list",
  hash: "bb",
  text: "select each",
  units: 630,
  statements: 7148,
  least: 11,
  most: 11,
  saved: 6518,
  seconds: 1.2,
  gapMs: 2,
  oneForEachRow: 1,
  thenHash: null,
  thenText: null,
  perRow: 1,
  tags: ["page=board"],
  example: [
    { hash: "aa", text: "select list", at: "2026-07-06T10:00:00.000Z", ms: 3, binds: "" },
    { hash: "bb", text: "select each", at: "2026-07-06T10:00:00.005Z", ms: 0.1, binds: "id=7" },
  ],
  unit: "-- unit: board\nSELECT id FROM list;\n-- each row\nSELECT 1 WHERE :id;\n",
};

// Common practice, no source: 11 parents and one query each make 12 statements, where 1 or 2 would do.
test("a repeated statement is named with its counts and what it costs", async () => {
  serve({ "GET /api/books/1/repeats": [repeat] });
  await show(<Repeats book={1} />);
  expect(await screen.findByText("1 + 11 statements where 1 or 2 would do")).toBeTruthy();
  expect(
    screen.getByText(/6 518 statements fewer, each with 2.00 ms between it and the next: 13.0 s of waiting/),
  ).toBeTruthy();
  expect(screen.getByText(/In 100 % of them one for each row/)).toBeTruthy();
  expect(screen.getByText(/It came with page=board/)).toBeTruthy();
  expect(screen.getByText(/Each row more in the list makes 1.00 more/)).toBeTruthy();
  fireEvent.click(screen.getByText("an example"));
  expect(screen.getByText("id=7")).toBeTruthy();
  expect(screen.getByText("5.00")).toBeTruthy();
  fireEvent.click(screen.getByText("as a unit of a workload"));
  expect((await screen.findByLabelText("Unit of a workload")).textContent).toContain("-- each row");
  fireEvent.click(screen.getByText("hide the unit"));
  expect(screen.queryByLabelText("Unit of a workload")).toBeNull();
});

test("a repetition without a list before it, and of no one number, is said so", async () => {
  serve({
    "GET /api/books/1/repeats": [
      {
        ...repeat,
        beforeText: null,
        beforeHash: null,
        least: 4,
        most: 24,
        oneForEachRow: 0,
        perRow: null,
        thenHash: "dd",
        thenText: "delete from parcel where id = ?",
        unit: null,
      },
    ],
  });
  await show(<Repeats book={1} />);
  expect(
    await screen.findByText("4 to 24 reads, each followed by a write of the same row, where 1 would do"),
  ).toBeTruthy();
  expect(screen.getByText("delete from parcel where id = ?").getAttribute("href")).toBe(
    "/books/1/statements/dd",
  );
  expect(screen.queryByText(/one for each row/)).toBeNull();
  expect(screen.queryByText("as a unit of a workload")).toBeNull();
});

test("a log is sent with its book and source, and what came of it is told", async () => {
  const asked = serve({
    "POST /api/captures": {
      bookId: 1,
      name: "a.log",
      form: "pg-stderr",
      problem: null,
      statements: 5,
      bytes: 2048,
      skippedBytes: 1024,
      unreadBytes: 0,
      notKeptApart: 0,
      rejected: [{ reason: "No record.", count: 1, firstLine: 3 }],
    },
  });
  await show(<ReadCapture book="Depot" />);
  const button = (await screen.findByText("Read this log")) as HTMLButtonElement;
  expect(button.disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("log"), { target: { files: [new File(["x"], "a.log")] } });
  fireEvent.change(screen.getByLabelText("columns"), { target: { value: "at=t, sql=q" } });
  fireEvent.click(button);
  expect((await screen.findByRole("status")).textContent).toContain(
    "5 statements from 2.00 KiB; 1.00 KiB were read before.",
  );
  expect(screen.getByText(/1 not understood, first in line 3: No record/)).toBeTruthy();
  expect(asked[0]?.path).toBe("/api/captures");
  expect(asked[0]?.query.get("columns")).toBe("at=t, sql=q");
});

const patterns = {
  from: "2026-07-06T00:00:00Z",
  to: "2026-07-07T00:00:00Z",
  calls: 1200,
  errors: 0,
  seconds: 12.3,
  matching: 7,
  rankedBy: "total" as const,
  kinds: [],
  tables: [],
  patterns: [],
};

test("picked statements go to a trial; without any there is nothing to press", async () => {
  const asked = serve({});
  const { router } = await show(
    <StatementsFoot
      book={1}
      narrowing={{ text: "huts" }}
      patterns={patterns}
      picked={new Set(["aa", "bb"])}
      clear={() => {}}
      set={() => {}}
    />,
  );
  expect(await screen.findByText(/12.3 s in 1 200 calls of 7 statements/)).toBeTruthy();
  expect((screen.getByText("CSV") as HTMLAnchorElement).getAttribute("href")).toBe(
    "/api/books/1/patterns.csv?text=huts",
  );
  fireEvent.click(screen.getByText("Take 2 to a trial"));
  await waitFor(() => expect(router.state.location.pathname).toBe("/new"));
  expect(asked).toEqual([]);
  expect(router.state.location.search).toMatchObject({ book: 1, take: "aa,bb" });
});

test("a chosen span can be given up", async () => {
  const set = vi.fn();
  await show(
    <StatementsFoot
      book={1}
      narrowing={{ from: "2026-07-06T00:00:00Z" }}
      patterns={patterns}
      picked={new Set()}
      clear={() => {}}
      set={set}
    />,
  );
  fireEvent.click(await screen.findByText("all time"));
  expect(set).toHaveBeenCalledWith({ from: undefined, to: undefined });
  expect(screen.queryByText(/into the workload/)).toBeNull();
});

const callers: Schemas["CallerRow"][] = [
  {
    database: "huts",
    user: "app",
    application: "booking",
    kind: "application",
    calls: 900,
    errors: 0,
    seconds: 9,
    share: 0.9,
  },
  {
    database: "huts",
    user: "app",
    application: "",
    kind: "application",
    calls: 100,
    errors: 0,
    seconds: 1,
    share: 0.1,
  },
  {
    database: "x",
    user: "app",
    application: "swift-ledger",
    kind: "own",
    calls: 40_885,
    errors: 0,
    seconds: 70,
    share: 7,
  },
];

test("whose load it is narrows the daybook, and our own stands apart until it is asked for", async () => {
  serve({ "GET /api/books/1/callers": callers });
  const set = vi.fn();
  await show(<WhoseLoad book={1} narrowing={{}} set={set} />);
  fireEvent.click(await screen.findByText("booking"));
  expect(set).toHaveBeenLastCalledWith({
    application: "booking",
    user: "app",
    database: "huts",
    load: undefined,
  });
  expect(screen.getByText("without a name")).toBeTruthy();
  expect(screen.getByText(/40\s885 statements of Swift Ledger itself/)).toBeTruthy();
  fireEvent.click(screen.getByText("look at them"));
  expect(set).toHaveBeenLastCalledWith(expect.objectContaining({ load: "own" }));
});

test("what is chosen already is let go by the same key", async () => {
  serve({ "GET /api/books/1/callers": callers });
  const set = vi.fn();
  await show(
    <WhoseLoad book={1} narrowing={{ application: "booking", user: "app", database: "huts" }} set={set} />,
  );
  fireEvent.click(await screen.findByText("booking"));
  expect(set).toHaveBeenLastCalledWith({ application: undefined, user: undefined, database: undefined });
});

test("what a log tells besides is summed in words, and each leads to its statement", async () => {
  serve({
    "GET /api/books/1/events": {
      counts: [
        { kind: "lockWait", count: 12, amount: 48_200 },
        { kind: "deadlock", count: 1, amount: 0 },
        { kind: "temporaryFile", count: 3, amount: 3_000_000 },
      ],
      events: [
        {
          kind: "lockWait",
          at: "2026-07-06T10:00:00Z",
          hash: "ab",
          text: "update t set a = ?",
          amount: 1000,
          message: "process 12 still waiting",
          database: "huts",
          user: "app",
          application: "booking",
        },
      ],
    } satisfies Schemas["EventsPage"],
  });
  await show(<LogEvents book={1} narrowing={{}} />);
  expect(await screen.findByText("12 waits for locks, 48.2 s in all")).toBeTruthy();
  expect(screen.getByText("1 deadlock")).toBeTruthy();
  expect(screen.getByText(/^3 temporary files, .* in all$/)).toBeTruthy();
  expect(screen.getByText("update t set a = ?").getAttribute("href")).toBe("/books/1/statements/ab");
});

test("where no statement moved but the total did, calls are said to have", async () => {
  const still = { ...account, effects: [effect("aa", "level", 1)], pages: [] };
  serve({
    "GET /api/books/1/deployments/3": { ...still, ofMoreCalls: 24, ofDearerCalls: -2 },
  });
  await show(<EffectPanel book={1} deployment={3} whose={{}} close={() => {}} />);
  expect(
    await screen.findByText(
      "No statement got dearer or cheaper beyond chance; calls did move: +24.0 s a day of more calls.",
    ),
  ).toBeTruthy();
});
