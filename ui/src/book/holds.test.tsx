// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Fallback, Live as LiveView } from "../api/holds";
import { serve, show } from "../testing/show";
import { Holds } from "./Holds";
import { Live } from "./Live";

const fallback = (of: Partial<Fallback>): Fallback => ({
  id: 4,
  hash: "71489d01f6810f27",
  statement: "day_sheet",
  sql: "SELECT 1",
  trialId: 3,
  factor: 1.5,
  author: "Ines Aalto",
  keptAt: "2026-07-18T17:00:00Z",
  droppedAt: null,
  turn: null,
  unfit: null,
  watched: true,
  holds: [],
  ...of,
});

const hold = (of: Partial<Fallback["holds"][number]>): Fallback["holds"][number] => ({
  id: 9,
  state: "inForce",
  openedAt: "2026-07-18T18:00:00Z",
  openedBy: "Swift Ledger",
  releasedAt: null,
  why: null,
  turned: "Since 17:30 it runs by another plan.",
  brought: "It helps: 1 ms a call.",
  effect: null,
  disobeyedCalls: 12,
  ...of,
});

test("a hold in force says why, what it brings, and who does not obey it, and is released under a name", async () => {
  localStorage.setItem("author", "Ben Ruiz");
  const asked = serve({
    "GET /api/books/1/fallbacks": [fallback({ holds: [hold({})] })],
    "POST /api/books/1/holds/9/release": {},
  });
  await show(<Holds book={1} />);
  const list = within(await screen.findByRole("region", { name: "Fall-backs" }));
  expect(list.getByText("held, and it helps")).toBeTruthy();
  expect(list.getByText(/needed once/)).toBeTruthy();
  expect(list.getByText("Since 17:30 it runs by another plan.")).toBeTruthy();
  expect(list.getByText(/still called 12 times/)).toBeTruthy();
  expect(list.queryByText("let go")).toBeNull();
  fireEvent.click(list.getByText("release"));
  fireEvent.click(await screen.findByText("Release it"));
  await expect
    .poll(() => asked.find((a) => a.method === "POST")?.body)
    .toEqual({ author: "Ben Ruiz", reason: "" });
});

test("a fall-back that cannot come into force says so", async () => {
  serve({
    "GET /api/books/1/fallbacks": [
      fallback({ watched: false, unfit: "no such index: booking_first_night" }),
      fallback({
        id: 3,
        droppedAt: "2026-07-18T19:00:00Z",
        holds: [hold({ state: "released", why: "It does not help." })],
      }),
    ],
  });
  await show(<Holds book={1} />);
  const list = within(await screen.findByRole("region", { name: "Fall-backs" }));
  expect(list.getByText(/No plan stands for this statement/)).toBeTruthy();
  expect(list.getByText(/cannot be prepared any more: no such index/)).toBeTruthy();
  expect(list.getByText("It does not help.")).toBeTruthy();
  expect(list.getAllByText("hold now")).toHaveLength(1);
});

const live: LiveView = {
  on: true,
  book: 1,
  clock: "2026-07-18T17:00:00Z",
  pace: 720,
  version: "3.2",
  answers: false,
  perSecond: 0,
  held: ["day_sheet"],
  problem: null,
  versions: [
    { version: "3.2", title: "Fresh statistics", deployed: true, refusal: "It is deployed." },
    { version: "3.4", title: "Tidy up", deployed: false, refusal: null },
  ],
  steps: [
    { text: "It runs", at: "2026-07-18T16:00:00Z" },
    { text: "It is held", at: null },
    { text: "It is proven", at: null },
  ],
};

test("the stand-in tells that it is silent, where the story is, and is deployed by a press", async () => {
  const asked = serve({ "GET /api/live": live, "POST /api/live/deploy": live });
  await show(<Live book={1} />);
  const strip = within(await screen.findByRole("region", { name: "The huts' application" }));
  expect(strip.getByText("does not answer")).toBeTruthy();
  expect(strip.getAllByRole("listitem").map((l) => l.textContent)).toEqual([
    "✓It runs, done",
    "▸It is held, under way",
    "It is proven, to come",
  ]);
  expect(strip.getByRole("button", { name: /Deploy 3.2/ })).toHaveProperty("disabled", true);
  fireEvent.click(strip.getByRole("button", { name: /Deploy 3.4/ }));
  await expect.poll(() => asked.find((a) => a.method === "POST")?.body).toEqual({ version: "3.4" });
});

test("a book that is not the stand-in's shows nothing of it", async () => {
  const asked = serve({ "GET /api/live": live });
  await show(<Live book={2} />);
  await expect.poll(() => asked.length).toBeGreaterThan(0);
  expect(screen.queryByRole("region")).toBeNull();
});
