// @vitest-environment happy-dom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Entry, Outcome, Promised } from "../api/entries";
import { Today } from "../book/Today";
import { serve, show, visit } from "../testing/show";
import { Entries, perDay } from "./Entries";
import { WordMark } from "./words";

const promise = (of: Partial<Promised>): Promised => ({
  statement: "board",
  pattern: "00000000000000aa",
  patternAfter: null,
  direction: "cheaper",
  ratio: 0.1,
  low: 0.08,
  high: 0.13,
  callsPerDay: 1200,
  secondsBefore: 0.024,
  accepted: null,
  ...of,
});

const outcome = (of: Partial<Outcome>): Outcome => ({
  promise: promise({}),
  word: "kept",
  share: 1.1,
  ratio: 0.09,
  low: 0.08,
  high: 0.1,
  callsBefore: 1200,
  callsAfter: 1300,
  promisedPerDay: -27,
  observedPerDay: -28,
  message: "500 calls before, 600 after.",
  ...of,
});

const entry = (of: Partial<Entry>): Entry => ({
  number: 4,
  title: "Index for the board",
  author: "Ines Aalto",
  at: "2026-07-18T08:00:00.000Z",
  state: "proposed",
  reason: "Slow from 17:00 on.",
  links: ["https://tickets.test/7", "javascript:alert(1)"],
  change: "CREATE INDEX x ON t (a);",
  trial: 5,
  rehearsal: null,
  headline: "1 of 9 improved.",
  promises: [promise({}), promise({ statement: "card", pattern: "bb", direction: "level", ratio: 1 })],
  bill: { before: 50, after: 25, changeLow: -26, changeHigh: -24 },
  deployment: null,
  outcome: null,
  outcomeHeadline: null,
  isPosted: false,
  candidate: null,
  later: [],
  digest: "ab".repeat(32),
  previous: null,
  altered: null,
  ...of,
});

const book = { book: { id: 1, name: "Huts" }, changes: [], trials: [] };

test("a proposal says what it promises, by whom, and leads nowhere that a link should not", async () => {
  const asked = serve({
    "GET /api/books/1/entries/4": entry({}),
    "GET /api/books/1": book,
    "POST /api/books/1/entries/4": entry({ state: "withdrawn" }),
  });
  await visit("/books/1/entries/4");
  expect(await screen.findByText("Not live yet: this is what it promises")).toBeTruthy();
  expect(screen.getByText(/50.0 to 25.0 database-seconds/)).toBeTruthy();
  expect(screen.getByRole("link", { name: "https://tickets.test/7" })).toBeTruthy();
  expect(screen.queryByRole("link", { name: /javascript/ })).toBeNull();
  expect(screen.queryByText("card")).toBeNull();
  fireEvent.click(screen.getByText(/that were to stay level/));
  expect(screen.getByText("card")).toBeTruthy();

  // Whatever is said of it is posted, with who says so; nothing is edited.
  fireEvent.click(screen.getByText("Withdraw it"));
  fireEvent.change(screen.getByLabelText("Who answers for it"), { target: { value: "Ben" } });
  fireEvent.change(screen.getByLabelText("Why, in a few words"), { target: { value: "Too dear" } });
  fireEvent.click(screen.getByText("Post it"));
  await screen.findByText("Post it");
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({
    state: "withdrawn",
    author: "Ben",
    reason: "Too dear",
    at: null,
    version: null,
  });
});

test("what was broken stands before what was kept, with both intervals read out", async () => {
  serve({
    "GET /api/books/1/entries/4": entry({
      state: "reconciled",
      isPosted: true,
      outcomeHeadline: "Of 2 promises: 1 not foreseen, 1 kept.",
      outcome: {
        from: "2026-07-10T00:00:00.000Z",
        to: "2026-07-17T00:00:00.000Z",
        outcomes: [
          outcome({}),
          outcome({
            promise: promise({ statement: "card", pattern: "bb", direction: "level", low: 0.98, high: 1.02 }),
            word: "notForeseen",
            ratio: 2,
            low: 1.9,
            high: 2.1,
          }),
        ],
        others: [{ pattern: "cc", text: "select 1", dearer: true, ratio: 3, changePerDay: 4 }],
        beside: ["2026-07-17 10:00 3.4"],
      },
    }),
    "GET /api/books/1": book,
  });
  await visit("/books/1/entries/4");
  await screen.findByText("Of 2 promises: 1 not foreseen, 1 kept.");
  const names = screen.getAllByRole("row").map((r) => r.textContent ?? "");
  expect(names.findIndex((n) => n.startsWith("card"))).toBeLessThan(
    names.findIndex((n) => n.startsWith("board")),
  );
  expect(screen.getByLabelText(/promised .*cheaper to .*cheaper, came .*cheaper/)).toBeTruthy();
  expect(within(screen.getByLabelText("Not promised")).getByText("select 1")).toBeTruthy();
  expect(screen.getByText(/beside it: 2026-07-17 10:00 3.4/)).toBeTruthy();
});

test("what was promised is drawn into what came, and read out point by point", async () => {
  serve({
    "GET /api/books/1/entries/4": entry({
      state: "deployed",
      deployment: { at: "2026-07-17T10:00:00.000Z", version: "3.4", matched: "by hand" },
    }),
    "GET /api/books/1/entries/4/courses": {
      deployedAt: "2026-07-17T10:00:00.000Z",
      courses: [
        {
          pattern: "aa",
          statement: "board",
          minutes: 120,
          beforeMs: 20,
          lowMs: 1.8,
          highMs: 2.6,
          points: [
            { at: "2026-07-17T06:00:00.000Z", ms: 20, calls: 40, since: false },
            { at: "2026-07-17T12:00:00.000Z", ms: 2, calls: 50, since: true },
          ],
        },
        {
          pattern: "bb",
          statement: "never seen",
          minutes: 60,
          beforeMs: null,
          lowMs: null,
          highMs: null,
          points: [],
        },
      ],
    },
    "GET /api/books/1": book,
  });
  await visit("/books/1/entries/4");
  const courses = await screen.findByLabelText("Courses");
  expect(
    within(courses).getByText("the middle call's time, by 2.00 hours; promised 1.80 ms to 2.60 ms"),
  ).toBeTruthy();
  expect(within(courses).queryByText("never seen")).toBeNull();
  const picture = within(courses).getByLabelText("Course of board, promised 1.80 ms to 2.60 ms");
  const circles = [...picture.querySelectorAll("circle")].map((c) => c.getAttribute("class"));
  expect(circles[0]).toContain("fill-paper");
  expect(circles[1]).toContain("fill-ink");
  fireEvent.keyDown(picture, { key: "End" });
  expect(picture.getAttribute("aria-valuetext")).toMatch(/: 2.00 ms, 50 calls, since$/);
});

test("a ledger that was altered says so above all else", async () => {
  const asked = serve({
    "GET /api/books/1/entries": {
      entries: [],
      count: 2,
      fault: "Entry 2 is not what it was.",
      known: ["At place 1 stood another. Ben Ruiz went on behind it."],
      digest: null,
      unannounced: [],
    },
    "POST /api/books/1/entries/resumed": {
      entries: [],
      count: 3,
      fault: null,
      known: [],
      digest: null,
      unannounced: [],
    },
  });
  await show(<Entries book={1} />);
  expect((await screen.findByRole("alert")).textContent).toContain("Nothing more is posted to it");
  expect(screen.getByText(/Ben Ruiz went on behind it/)).toBeTruthy();

  // Whoever goes on all the same says who it is, and why.
  fireEvent.click(screen.getByRole("button", { name: "Go on all the same" }));
  fireEvent.change(screen.getByLabelText("Who answers for it"), { target: { value: "Ines Aalto" } });
  fireEvent.change(screen.getByLabelText("What is known of it"), { target: { value: "A clean-up" } });
  fireEvent.click(screen.getByRole("button", { name: "Go on behind it" }));
  await waitFor(() =>
    expect(asked.find((a) => a.method === "POST")?.body).toEqual({
      author: "Ines Aalto",
      reason: "A clean-up",
    }),
  );
});

test("today lists what matters with its place, and says so where nothing does", async () => {
  serve({
    "GET /api/books/1/today": {
      lines: [
        { kind: "dearer", text: "3x as long", perDay: 5, hash: "aa", entry: null },
        { kind: "underWay", text: "What to change is looked for", perDay: null, search: 7 },
      ],
      since: null,
      seen: null,
    },
  });
  await show(<Today book={1} />);
  expect((await screen.findByText("3x as long")).closest("a")?.getAttribute("href")).toBe(
    "/books/1/statements/aa",
  );
  expect(screen.getByText("What to change is looked for").closest("a")?.getAttribute("href")).toBe(
    "/books/1/proposals?search=7",
  );
  expect(screen.getByText("5.00 s more a day")).toBeTruthy();
});

test("every word has a mark that is told without colour", async () => {
  const drawn = new Set<string>();
  for (const word of ["kept", "keptInPart", "notKept", "notForeseen", "cannotTellYet"] as const) {
    const { container, unmount } = await show(<WordMark word={word} />);
    drawn.add(container.querySelector("svg")?.innerHTML ?? "");
    unmount();
  }
  expect(drawn.size).toBe(5);
  expect([perDay(-0.0001), perDay(null), perDay(-2)]).toEqual(["no change", "", "2.00 s less"]);
});

test("a trial is posted with a reason for each statement that gets dearer", async () => {
  const asked = serve({
    "GET /api/books/1/entries/preview": {
      title: "Index",
      headline: "1 regressed",
      promises: [promise({ statement: "add", direction: "dearer", ratio: 2, low: 1.8, high: 2.2 })],
      bill: null,
      refusal: null,
    },
    "GET /api/books/1": book,
    "POST /api/books/1/entries": entry({ number: 9 }),
    "GET /api/books/1/entries/9": entry({ number: 9 }),
  });
  const { router } = await visit("/books/1/post?trial=5");
  fireEvent.change(await screen.findByLabelText("Who answers for it"), { target: { value: "Ben" } });
  fireEvent.change(screen.getByLabelText(/gets dearer/), { target: { value: "Rarely called" } });
  fireEvent.click(screen.getByText("Post it"));
  await screen.findByText("Not live yet: this is what it promises");
  expect(router.state.location.pathname).toBe("/books/1/entries/9");
  expect(asked.find((a) => a.method === "POST")?.body).toMatchObject({
    trial: 5,
    rehearsal: null,
    author: "Ben",
    accepted: { add: "Rarely called" },
  });
});
