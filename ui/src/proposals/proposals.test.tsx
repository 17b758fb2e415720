// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Fate, Measured, Proof, Proposal, ProposalSearch } from "../api/proposals";
import { serve, visit } from "../testing/show";
import { change, grouped, isOtherWords, lessWork, stageOf } from "./words";

const measured = (of: Partial<Measured> = {}): Measured => ({
  billBefore: 10,
  billAfter: 4,
  changeLow: -6.5,
  changeHigh: -5.5,
  regressed: [],
  improved: ["of depot"],
  lines: 3,
  writesBefore: 1,
  writesAfter: 1.2,
  sizeBytes: 40_960,
  buildMs: 12,
  untold: [],
  ...of,
});

const proof: Proof = {
  condition: "in words",
  sameRows: true,
  counterexample: "CREATE TABLE pair (twin);",
  conditions: [{ sentence: "pair.twin is never NULL.", by: "nobody", counterexample: "SELECT 'why';" }],
  cases: 2,
  databases: 0,
  withRows: 0,
  seconds: 0.1,
  unsearched: null,
};

const proposal = (number: number, fate: Fate, of: Partial<Proposal["item"]> = {}): Proposal => ({
  number,
  item: {
    kind: "index",
    title: `index ${number}`,
    reason: "the planner takes it",
    sql: `CREATE INDEX i${number} ON parcel(depot);`,
    undo: `DROP INDEX i${number};`,
    statements: ["of depot", "weigh"],
    expected: null,
    measured: null,
    proof: null,
    fate,
    message: "",
    ...of,
  },
  workLeft: 0.25,
  expectedBytes: 8_192,
  served: ["of depot"],
  replaces: ["parcel_depot"],
  within: null,
  locks: "Writes wait.",
  trial: null,
});

const page = (of: Partial<ProposalSearch> = {}): ProposalSearch => ({
  id: 7,
  workload: "SELECT 1",
  settings: {
    kinds: ["index"],
    mostIndexes: 5,
    mostMegabytes: null,
    writesAtMostPercent: null,
    maxSeconds: 60,
    statementSeconds: 30,
    trustSql: false,
  },
  state: "finished",
  createdAt: "2026-07-18T17:00:00Z",
  startedAt: null,
  finishedAt: null,
  message: null,
  ahead: 0,
  at: null,
  atNumber: null,
  atTrial: null,
  tries: false,
  proposals: [
    proposal(0, "inSet", { measured: measured() }),
    proposal(3, "open"),
    proposal(1, "notTheSame", {
      kind: "rewrite",
      title: "never in other words",
      proof,
      message: "It is another query.",
    }),
    proposal(2, "turnedDown", { message: "Ada, 2026-07-18: no room" }),
  ],
  set: null,
  setTrial: null,
  notes: ["two more were not tried"],
  ...of,
});

const book = {
  book: {
    id: 1,
    name: "depot",
    subject: "depot.db",
    subjectBytes: 1,
    subjectMissing: null,
    workload: "SELECT 1",
    statements: 3,
    cases: 3,
  },
  changes: [],
  trials: [],
};

const answers = (p: ProposalSearch | null) => ({
  "GET /api/books/1": book,
  "GET /api/books/1/proposals": {
    latest: p?.id ?? null,
    searches: p
      ? [
          {
            id: p.id,
            state: p.state,
            createdAt: p.createdAt,
            finishedAt: null,
            message: null,
            found: p.proposals.length,
          },
        ]
      : [],
  },
  ...(p ? { [`GET /api/books/1/proposals/${p.id}`]: p } : {}),
});

test("proposals stand below what became of them, and what nobody measured is expected", async () => {
  expect(grouped(page()).map((g) => [g.title, g.proposals.map((p) => p.number)])).toEqual([
    ["Each saves by itself", [0]],
    ["Expected, not measured", [3]],
    ["Not in the set", [1]],
    ["Turned down", [2]],
  ]);
  expect(grouped(page({ set: measured() }))[0]?.title).toBe("In the set");
  serve(answers(page()));
  await visit("/books/1/proposals");
  const table = await screen.findByRole("table", { name: /Proposals with what/ });
  expect(within(table).getByText("not measured")).toBeTruthy();
  expect(within(table).getByText("another query")).toBeTruthy();
  expect(screen.getByRole("button", { name: "Try all" })).toBeTruthy();
  expect(screen.getByText("two more were not tried")).toBeTruthy();
});

test("a proposal says what it brings, who pays, what it holds back and what it makes needless", async () => {
  serve(answers(page()));
  await visit("/books/1/proposals?open=0");
  const panel = await screen.findByRole("group", { name: "Proposal" });
  for (const text of [/parcel_depot: it begins/, "Writes wait.", "no statement", /\+40\.0 KiB/]) {
    expect(within(panel).getAllByText(text).length).toBeGreaterThan(0);
  }
  expect(within(panel).getByRole("group", { name: "SQL that takes it back" }).textContent).toBe(
    "DROP INDEX i0;",
  );
  expect(within(panel).getByRole("img", { name: /2\.50x cheaper/ })).toBeTruthy();
  expect(within(panel).queryByRole("button", { name: "Try it" })).toBeNull();
});

test("another query is shown by a script that anybody can run", async () => {
  serve(answers(page()));
  await visit("/books/1/proposals?open=1");
  expect(await screen.findByText(/It is not so: there are rows that break it/)).toBeTruthy();
  expect(
    screen.getAllByRole("group", { name: "Script that shows the difference" }).map((e) => e.textContent),
  ).toContain("CREATE TABLE pair (twin);");
  expect(screen.queryByRole("button", { name: "Try it" })).toBeNull();
});

test("one statement for a unit is altered in the application, and stands beside the unit as it is now", async () => {
  const unit = proposal(4, "open", {
    kind: "unit",
    title: "one statement for the 134 of board",
    sql: "-- rewrite: board\nSELECT d.id, p.id FROM depot d LEFT JOIN parcel p ON p.depot = d.id;",
    undo: "-- rewrite: board\nSELECT id FROM depot;\n-- each row\nSELECT id FROM parcel WHERE depot = :id;",
  });
  serve(answers(page({ proposals: [unit] })));
  await visit("/books/1/proposals?open=4");
  const panel = await screen.findByRole("group", { name: "Proposal" });
  for (const text of ["The one statement", "As it is now", /the application that sends the statement/]) {
    expect(within(panel).getAllByText(text).length).toBeGreaterThan(0);
  }
  expect(within(panel).getByRole("group", { name: "SQL that takes it back" }).textContent).toContain(
    "-- each row",
  );
  expect(within(panel).queryByText("made in")).toBeNull();
  expect(isOtherWords("unit")).toBe(true);
  expect(isOtherWords("rewrite")).toBe(true);
  expect([isOtherWords("index"), isOtherWords("drop"), isOtherWords("statistics")]).toEqual([
    false,
    false,
    false,
  ]);
});

test("who turns one down says who they are and why", async () => {
  const asked = serve({
    ...answers(page()),
    "POST /api/books/1/proposals/7/3/turn-down": page({
      proposals: [proposal(3, "turnedDown", { message: "Ada: no room" })],
    }),
  });
  await visit("/books/1/proposals?open=3");
  fireEvent.click(await screen.findByRole("button", { name: "Turn it down" }));
  fireEvent.change(screen.getByLabelText("Who answers for it"), { target: { value: "Ada" } });
  fireEvent.change(screen.getByLabelText("Why"), { target: { value: "no room" } });
  fireEvent.click(screen.getByRole("button", { name: "Turn it down" }));
  expect(await screen.findByRole("button", { name: "Take that back" })).toBeTruthy();
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ author: "Ada", why: "no room" });
});

test("a book in which nothing was looked for asks what to look for, and under which limits", async () => {
  const asked = serve({
    ...answers(null),
    "POST /api/books/1/proposals": page({ state: "waiting" }),
    ...answers(null),
    "GET /api/books/1/proposals/7": page({ state: "waiting", proposals: [] }),
  });
  await visit("/books/1/proposals");
  fireEvent.change(await screen.findByLabelText("that they may take together, MB"), {
    target: { value: "20" },
  });
  fireEvent.click(screen.getByLabelText("stale statistics"));
  fireEvent.click(screen.getByRole("button", { name: "Look for proposals" }));
  expect(await screen.findByText("Waits for its turn.")).toBeTruthy();
  expect(asked.find((a) => a.method === "POST")?.body).toMatchObject({
    workload: null,
    settings: { kinds: ["index", "drop", "rewrite", "unit"], mostMegabytes: 20, mostIndexes: 5 },
  });
});

test("settings are looked for where they are asked for, and a server's statements run with more rights only by the user's word", async () => {
  const asked = serve({
    ...answers(null),
    "GET /api/books/1": { ...book, book: { ...book.book, subject: "postgresql://me@db/huts" } },
    "POST /api/books/1/proposals": page({ state: "waiting" }),
    "GET /api/books/1/proposals/7": page({ state: "waiting", proposals: [] }),
  });
  await visit("/books/1/proposals");
  fireEvent.click(await screen.findByLabelText("settings, each on the whole workload"));
  fireEvent.click(screen.getByLabelText(/I know every statement here/));
  fireEvent.click(screen.getByRole("button", { name: "Look for proposals" }));
  expect(await screen.findByText("Waits for its turn.")).toBeTruthy();
  expect(asked.find((a) => a.method === "POST")?.body).toMatchObject({
    settings: { kinds: ["index", "drop", "rewrite", "statistics", "unit", "setting"], trustSql: true },
  });
});

test("of what no counter foretells only its trial tells, and of a setting who has to change something", async () => {
  const setting: Proposal = {
    ...proposal(5, "open", { kind: "setting", title: "cache_size of 64 MiB", undo: "" }),
    workLeft: null,
    expectedBytes: null,
    locks: null,
  };
  serve(answers(page({ proposals: [setting] })));
  await visit(`/books/1/proposals?open=${setting.number}`);
  expect(await screen.findByText("no counter foretells it: its trial has to")).toBeTruthy();
  expect(screen.getByText("whoever opens sessions, each of which takes the memory for itself")).toBeTruthy();
  expect(screen.queryByText("made for")).toBeNull();
  expect(screen.queryByText("What takes it back")).toBeNull();
});

test("of a file nobody is asked for rights", async () => {
  serve(answers(null));
  await visit("/books/1/proposals");
  expect(await screen.findByLabelText("settings, each on the whole workload")).toHaveProperty(
    "checked",
    false,
  );
  expect(screen.queryByLabelText(/I know every statement here/)).toBeNull();
});

test("figures keep their signs, and nothing is rounded to all or to nothing", () => {
  expect([change(10, 4), change(4, 10), change(3, 3)]).toEqual(["\u22126.00", "+6.00", "0"]);
  expect([lessWork(0.25), lessWork(0.99999), lessWork(0.0000001), lessWork(1), lessWork(null)]).toEqual([
    "75.0 % less",
    "< 0.1 % less",
    "99.99999 % less",
    "none",
    "",
  ]);
});

test("a search says what it is at", () => {
  expect(stageOf(page({ state: "waiting", ahead: 2 }))).toBe("Waits for its turn, 2 ahead of it.");
  expect(stageOf(page({ state: "running", at: "trying 12 candidates on a copy" }))).toBe(
    "Trying 12 candidates on a copy.",
  );
  expect(stageOf(page({ proposals: [] }))).toBe("Nothing was found that would save anything.");
  expect(stageOf(page({ state: "refused", message: "no such file" }))).toBe("no such file");
});
