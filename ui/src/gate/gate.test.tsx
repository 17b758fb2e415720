// @vitest-environment happy-dom
import { EditorView } from "@codemirror/view";
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { GateCourse, GatePage } from "../api/gate";
import { serve, visit } from "../testing/show";
import { roomOf } from "./words";

const course = (
  name: string,
  of: Partial<GateCourse["latest"]>,
  nears: string | null = null,
): GateCourse => ({
  latest: {
    rule: "work",
    title: "work",
    state: "kept",
    place: "app.sql:2:12",
    name,
    limit: "work <= 300",
    sentence: "90 vmSteps of 300 that are allowed.",
    room: 0.7,
    house: false,
    until: null,
    ...of,
  },
  points: [
    { check: 1, state: "kept", room: 0.7, sentence: "90 vmSteps of 300 that are allowed." },
    { check: 2, state: of.state ?? "kept", room: of.room ?? 0.7, sentence: of.sentence ?? "As before." },
  ],
  nears,
});

const page: GatePage = {
  checks: [
    {
      number: 2,
      at: "2026-12-01T10:00:00.000Z",
      branch: "tidy-up",
      commit: "0123456789abcdef",
      uncommitted: false,
      state: "broken",
      headline: "1 of 3 budgets broken, 2 kept.",
    },
    {
      number: 1,
      at: "2026-11-30T10:00:00.000Z",
      branch: null,
      commit: null,
      uncommitted: true,
      state: "kept",
      headline: "0 of 3 budgets broken, 3 kept.",
    },
  ],
  chosen: 2,
  notes: ["The base has no app.sql: all of its statements are new."],
  limits: [
    course("latest_reports (1)", {
      state: "broken",
      room: -6.43,
      sentence: "2 230 vmSteps; 300 are allowed.",
    }),
    course("hut_card (1)", { room: 0.04 }, "4.00 % of it is left."),
    course("board (1)", { state: "excused", room: -0.1, until: "2027-01-31" }),
  ],
};

const book = {
  book: { id: 1, name: "Huts", subject: null, workload: "" },
  changes: [],
  trials: [],
};

const answers = { "GET /api/books/1": book, "GET /api/books/1/gate": page };

test("what is broken, near and allowed is told by words, and each limit leads to its checks", async () => {
  serve(answers);
  await visit("/books/1/gate");
  expect(await screen.findByText("1 of 3 budgets broken, 2 kept. 1 limit is near.")).toBeTruthy();
  const limits = within(screen.getByRole("region", { name: "Limits" }));
  const rows = limits.getAllByRole("row").slice(1);
  expect(rows.map((r) => r.textContent)).toEqual([
    "work <= 300latest_reports (1)broken643 % over",
    "work <= 300hut_card (1)keptnear4.00 %",
    "work <= 300board (1)alloweduntil 2027-01-3110.0 % over",
  ]);
  expect(screen.getByText("The base has no app.sql: all of its statements are new.")).toBeTruthy();

  fireEvent.click(limits.getByRole("button", { name: /latest_reports/ }));
  const panel = within(await screen.findByRole("region", { name: "Limit" }));
  expect(panel.getByText("2 230 vmSteps; 300 are allowed.")).toBeTruthy();
  expect(panel.getAllByRole("row").map((r) => r.querySelector("td")?.textContent)).toEqual([
    undefined,
    "2",
    "1",
  ]);

  // Arrow keys go from limit to limit.
  fireEvent.keyDown(limits.getByRole("button", { name: /latest_reports/ }), { key: "ArrowDown" });
  expect(
    await within(screen.getByRole("region", { name: "Limit" })).findByText("4.00 % of it is left."),
  ).toBeTruthy();
});

test("what is allowed for a while, and what is said of exceptions, stands by itself", async () => {
  const over = "The exception from 'work' ended on 2026-11-30, 2 days ago. It said: the index comes.";
  serve({
    ...answers,
    "GET /api/books/1/gate": {
      ...page,
      limits: [
        ...page.limits,
        course("hut_card", { rule: "exception", state: "noted", limit: "", room: null, sentence: over }),
      ],
    },
  });
  await visit("/books/1/gate");
  const section = (await screen.findByText("Exceptions")).nextElementSibling as HTMLElement;
  expect([...section.children].map((c) => c.textContent)).toEqual([
    "board (1): work <= 300. 90 vmSteps of 300 that are allowed.",
    `hut_card: ${over}`,
  ]);
  const limits = within(screen.getByRole("region", { name: "Limits" }));
  expect(limits.getAllByRole("row").length).toBe(4);
});

test("limits are edited as text: what is wrong is told, and what is kept is sent whole", async () => {
  const told = { workload: "-- name: a\nSELECT 1;", rules: "tables read whole: on" };
  const all: Record<string, unknown> = { ...answers, "GET /api/books/1/limits": told };
  const asked = serve(all);
  const { container } = await visit("/books/1/gate?edit=true");
  await screen.findByText("Rules for all statements, one a line");
  const keep = screen.getByRole("button", { name: "Keep" }) as HTMLButtonElement;
  expect(keep.disabled).toBe(true);
  const rules = EditorView.findFromDOM(container.querySelectorAll(".cm-editor")[1] as HTMLElement);
  rules?.dispatch({ changes: { from: 19, to: 21, insert: "over 5 bananas" } });
  await waitFor(() => expect(keep.disabled).toBe(false));

  fireEvent.click(keep);
  expect((await screen.findByRole("alert")).textContent).toContain("Refused for the test.");
  expect(rules?.state.doc.toString()).toBe("tables read whole: over 5 bananas");

  const now = { ...told, rules: "tables read whole: over 5 bananas" };
  all["PUT /api/books/1/limits"] = {};
  all["GET /api/books/1/limits"] = now;
  fireEvent.click(keep);
  expect(await screen.findByText("Kept.")).toBeTruthy();
  const edit = { was: told, now };
  expect(asked.filter((r) => r.method === "PUT").map((r) => r.body)).toEqual([edit, edit]);
  expect(keep.disabled).toBe(true);
  expect(screen.queryByRole("alert")).toBeNull();
});

test("a book without checks says how one gets here", async () => {
  serve({ ...answers, "GET /api/books/1/gate": { checks: [], chosen: null, notes: [], limits: [] } });
  await visit("/books/1/gate");
  expect(await screen.findByText("No check was posted yet")).toBeTruthy();
});

test("a book tells its last check, or where checks are kept", async () => {
  serve({ ...answers, "GET /api/books/1/today": { lines: [] } });
  await visit("/books/1");
  expect(await screen.findByText("Last check")).toBeTruthy();
  expect(screen.getByText(/1 of 3 budgets broken, 2 kept. 1 near/)).toBeTruthy();
  const link = screen.getByRole("link", { name: "what must hold" });
  expect(link.getAttribute("href")).toBe("/books/1/gate");
});

test("what is left is a share, and what is exceeded says so", () => {
  expect(roomOf(null)).toBe("");
  expect(roomOf(0)).toBe("0 %");
  expect(roomOf(0.5)).toBe("50.0 %");
  expect(roomOf(-0.5)).toBe("50.0 % over");
});
