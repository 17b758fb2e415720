// @vitest-environment happy-dom
import { fireEvent, screen } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Schemas } from "./api/client";
import { serve, visit } from "./testing/show";
import { line, trial } from "./testing/trial";
import { watchOf, watchPageOf } from "./testing/watch";

const refused = "Refused for the test.";

/** What was told in an alert, once something was. */
const told = async () => (await screen.findAllByRole("alert")).map((a) => a.textContent).join(" ");

const point: Schemas["CoursePoint"] = {
  at: "2026-03-02T10:00:00Z",
  calls: 1,
  errors: 0,
  seconds: 2.14,
  p50Ms: 2140,
  p95Ms: 2140,
  p99Ms: 2140,
  p999Ms: 2140,
  worstMs: 2140,
  rowsReturned: null,
  rowsRead: null,
  rowsWritten: null,
};

const statement: Schemas["StatementPage"] = {
  bookId: 3,
  bookName: "Parcels",
  hash: "ab",
  text: "select * from parcel where id = ?",
  kind: "select",
  tables: ["parcel"],
  keptAtTop: false,
  stretchMinutes: 60,
  whole: point,
  course: [point],
  byDay: [point],
  deployments: [],
  samples: [],
  tags: [],
  errors: [],
  notes: [],
  plans: [],
  sources: [],
  inWorkload: false,
  lists: "",
  events: [],
};

const daybook: Schemas["DaybookPage"] = {
  bookId: 3,
  bookName: "Parcels",
  from: "2026-03-02T10:00:00Z",
  to: "2026-03-03T10:00:00Z",
  courseFrom: "2026-03-02T10:00:00Z",
  courseTo: "2026-03-03T10:00:00Z",
  stretchMinutes: 60,
  sources: [{ id: 1, name: "app" }],
  deployments: [],
  course: [point],
  apart: [],
  files: [],
};

const book: Schemas["BookPage"] = {
  book: {
    id: 3,
    name: "Parcels",
    subject: "/data/parcels.db",
    subjectBytes: 4096,
    subjectMissing: null,
    workload: "SELECT 1",
    statements: 1,
    cases: 1,
  },
  changes: [],
  trials: [],
};

test.each([
  "/",
  "/books/3",
  "/books/3/daybook",
  "/books/3/daybook?rank=p95",
  "/books/3/statements/ab",
  "/books/3/catalogue",
  "/books/3/gate",
  "/books/3/gate?edit=true",
  "/books/3/batch",
  "/books/3/plans/ab",
  "/books/3/watches/1",
  "/trials/4",
  "/trials/4/lines/1",
  "/trials/4/plans/1",
  "/new",
  "/new?book=3",
  "/new?trial=4",
  "/new?book=3&deployment=7",
  "/plans",
  "/glossary",
])("%s tells that the server refused", async (path) => {
  serve({});
  await visit(path);
  expect(await told()).toContain(refused);
});

test.each([
  ["/books/3", { "GET /api/books/3": book }, "/api/books/3/pins"],
  ["/books/3/daybook", { "GET /api/books/3/daybook": daybook }, "/api/books/3/patterns"],
  ["/books/3/daybook", { "GET /api/books/3/daybook": daybook }, "/api/books/3/callers"],
  ["/books/3/daybook", { "GET /api/books/3/daybook": daybook }, "/api/books/3/events"],
  ["/books/3/daybook", { "GET /api/books/3/daybook": daybook }, "/api/books/3/jumps"],
  ["/books/3/daybook", { "GET /api/books/3/daybook": daybook }, "/api/books/3/pages"],
  ["/books/3/statements/ab", { "GET /api/books/3/statements/ab": statement }, "/api/books/3/plans/ab"],
  ["/trials/4/lines/1", { "GET /api/trials/4": trial() }, "/api/trials/4/lines/1"],
  ["/glossary", { "GET /api/glossary": [], "GET /api/load-glossary": [] }, "/api/rules"],
  ["/glossary", { "GET /api/glossary": [], "GET /api/rules": [] }, "/api/load-glossary"],
  [
    "/books/3/gate?edit=true",
    {
      "GET /api/books/3": book,
      "GET /api/books/3/gate": { checks: [], chosen: null, notes: [], limits: [] },
    },
    "/api/books/3/limits",
  ],
])("%s tells that a part of it is missing", async (path, answers, part) => {
  const asked = serve(answers);
  await visit(path);
  expect(await told()).toContain(refused);
  expect(asked.some((a) => a.path === part)).toBe(true);
});

test("statements that could not be read are not said to be none", async () => {
  serve({ "GET /api/books/3/daybook": daybook });
  await visit("/books/3/daybook");
  expect(await told()).toContain(refused);
  expect(screen.queryByText("No statement fits.")).toBeNull();
});

test.each([
  ["Keep at the top", "/books/3/statements/ab", { "GET /api/books/3/statements/ab": statement }],
  ["Take into the workload", "/books/3/statements/ab", { "GET /api/books/3/statements/ab": statement }],
  [
    "End the watch",
    "/books/3/watches/1",
    { "GET /api/books/3/watches/1": watchPageOf({ watch: watchOf({ state: "running" }) }) },
  ],
  ["Run again", "/trials/4", { "GET /api/trials/4": trial() }],
  ["Decide anew", "/trials/4", { "GET /api/trials/4": trial() }],
])("what %s could not do is told beside it", async (button, path, answers) => {
  const asked = serve({
    "GET /api/books/3/plans/ab": { standing: null, seen: [] },
    "GET /api/books/3/pins": [],
    ...answers,
  });
  await visit(path);
  fireEvent.click(await screen.findByRole("button", { name: button }));
  expect(await told()).toContain(refused);
  expect(asked.some((a) => a.method === "POST")).toBe(true);
});

test("what ends a watch from the daybook is told where it fails", async () => {
  serve({
    "GET /api/books/3/daybook": daybook,
    "GET /api/books/3/patterns": {
      ...daybook,
      calls: 0,
      errors: 0,
      seconds: 0,
      matching: 0,
      rankedBy: "total",
      kinds: [],
      tables: [],
      patterns: [],
    },
    "GET /api/books/3/repeats": [],
    "GET /api/books/3/watches": { possible: true, running: 1, watches: [watchOf({ state: "running" })] },
  });
  await visit("/books/3/daybook");
  fireEvent.click(await screen.findByRole("button", { name: "End the watch" }));
  expect(await told()).toContain(refused);
});

test("the line in which everything can be found tells what could not be read", async () => {
  serve({ "GET /api/books": [{ id: 3, name: "Parcels", subject: null }], "GET /api/trials/4": trial() });
  await visit("/trials/4");
  fireEvent.click(await screen.findByRole("button", { name: "go to or do" }));
  expect(await told()).toContain(refused);
});

test("a statement that no trial saw is said to be one", async () => {
  serve({ "GET /api/books/3/plans/ab": { standing: null, seen: [] } });
  await visit("/books/3/plans/ab");
  expect(await screen.findByText("No trial saw this statement yet")).toBeTruthy();
});

test("an order that nothing can be ranked by is left aside", async () => {
  const asked = serve({ "GET /api/books/3/daybook": daybook });
  await visit("/books/3/daybook?rank=%27%3BDROP");
  await told();
  expect(asked.find((a) => a.path.endsWith("/patterns"))?.query.get("rank")).toBe("total");
});

test("rules older than their numbers are told as such, and a trial without a decision tells none", async () => {
  const decidedBy = { version: 0, today: 1, decidedAt: "2026-07-18T09:01:00Z" };
  serve({ "GET /api/trials/4": trial({ decidedBy }) });
  const { unmount } = await visit("/trials/4");
  expect(await screen.findByText(/by rules older than their numbers; today's are version 1/)).toBeTruthy();
  unmount();
  serve({ "GET /api/trials/4": trial({ decidedBy: null, lines: [line(1, { verdict: null })] }) });
  await visit("/trials/4");
  await screen.findByText("How it was measured");
  expect(screen.queryByText("Decide anew")).toBeNull();
});
