// @vitest-environment happy-dom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { serve, show, visit } from "../testing/show";
import { watchOf, watchPageOf } from "../testing/watch";
import { Watches } from "./Watches";
import { WatchView } from "./WatchView";

const at = "/books/3/watches/1";
const path = "/books/$bookId/watches/$watchId";

test("the load is told first, its parts with the weight of their looks", async () => {
  serve({ [`GET /api${at}`]: watchPageOf() });
  await show(<WatchView />, path, at);
  expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe(
    "2.00 sessions active on average, 60.0 % of that waiting for a lock",
  );
  const load = screen.getByRole("table", { name: /Sessions active/ });
  const rows = within(load).getAllByRole("row").slice(1);
  expect(rows.map((r) => within(r).getAllByRole("cell")[0]?.textContent)).toEqual(["1.92", "1.15", "0.769"]);
  expect(screen.getByText(/1 more were seen less/)).toBeTruthy();
  expect(screen.getByText("a lock 75.0 %, on a processor 25.0 %")).toBeTruthy();
});

test("the busiest moment is open, and another can be chosen", async () => {
  serve({ [`GET /api${at}`]: watchPageOf() });
  await show(<WatchView />, path, at);
  const sessions = await screen.findByRole("list", { name: "Sessions" });
  expect(within(sessions).getAllByRole("listitem")).toHaveLength(2);
  expect(sessions.textContent).toContain("waits for a lock (tuple)");
  expect(sessions.textContent).toContain("1 waits for it");
  expect(screen.getByText("3 more are not shown.")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: /a wait$/ }));
  expect(within(screen.getByRole("list", { name: "Sessions" })).getAllByRole("listitem")).toHaveLength(1);
});

test("a quiet watch says so, and an interrupted one that it was", async () => {
  const quiet = watchOf({ state: "interrupted", active: 0, pileUps: 0 });
  serve({
    [`GET /api${at}`]: watchPageOf({ watch: quiet, course: [], patterns: [], patternCount: 0, moments: [] }),
  });
  await show(<WatchView />, path, at);
  expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe("Nothing was seen");
  expect(screen.getByText(/Its process was ended; what had been seen is kept/)).toBeTruthy();
  expect(screen.getByText("It ended before its first ten seconds were over.")).toBeTruthy();
  expect(screen.getByText("Nothing piled up, and nobody waited for another")).toBeTruthy();
});

test("a watch is begun with its length and limit, and what stands in the way is told", async () => {
  const asked = serve({
    "GET /api/books/3/watches": { possible: true, running: null, watches: [watchOf({ waits: 1 })] },
  });
  await show(<Watches book={3} />);
  expect(await screen.findByText("2 pile-ups, 1 wait for another session")).toBeTruthy();
  fireEvent.change(screen.getByRole("combobox"), { target: { value: "60" } });
  fireEvent.change(screen.getByRole("spinbutton"), { target: { value: "9" } });
  fireEvent.click(screen.getByRole("button", { name: "Watch the server" }));
  expect((await screen.findByRole("alert")).textContent).toBe("Refused for the test.");
  expect(asked.find((a) => a.method === "POST")?.body).toEqual({ seconds: 60, pileUp: 9 });
});

test("a watch that has just begun says so, and one in which nobody worked", async () => {
  const begun = watchOf({ state: "running", active: 0, looks: 0, lookMs: 0, pileUps: 0 });
  serve({
    [`GET /api${at}`]: watchPageOf({ watch: begun, course: [], patterns: [], patternCount: 0, moments: [] }),
  });
  const first = await show(<WatchView />, path, at);
  expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe("Looking");
  expect(screen.getByText(/the first ten are not over yet/)).toBeTruthy();
  expect(screen.queryByText(/looks took/)).toBeNull();
  first.unmount();
  const course = [{ at: "2026-03-02T10:00:00Z", samples: 10, active: 0, kinds: [] }];
  const idle = watchOf({ active: 0, pileUps: 0 });
  serve({
    [`GET /api${at}`]: watchPageOf({
      watch: idle,
      kinds: [],
      course,
      patterns: [],
      patternCount: 0,
      moments: [],
    }),
  });
  await show(<WatchView />, path, at);
  expect((await screen.findByRole("heading", { level: 1 })).textContent).toBe("No session was active");
  expect(screen.getByText("No session was active at any look.")).toBeTruthy();
});

test("watches that cannot be read are not passed over in silence", async () => {
  serve({});
  await show(<Watches book={3} />);
  expect((await screen.findByRole("alert")).textContent).toBe("Refused for the test.");
});

test("one that runs can be ended, and where there is no server there is nothing", async () => {
  const asked = serve({
    "GET /api/books/3/watches": { possible: true, running: 1, watches: [watchOf({ state: "running" })] },
    "GET /api/books/4/watches": { possible: false, running: null, watches: [] },
  });
  await show(
    <>
      <Watches book={3} />
      <Watches book={4} />
    </>,
  );
  fireEvent.click(await screen.findByRole("button", { name: "End the watch" }));
  await screen.findByText(/goes on; 2 pile-ups/);
  expect(asked.some((a) => a.method === "POST" && a.path === "/api/books/3/watches/end")).toBe(true);
  expect(screen.getAllByRole("region", { name: "Watches" })).toHaveLength(1);
});

const narrowed = {
  sessions: [
    {
      id: 5,
      number: 4711,
      user: "app",
      application: "web",
      seen: 30,
      share: 0.6,
      first: "2026-03-02T10:00:00Z",
      last: "2026-03-02T10:00:20Z",
      kinds: [0.5, 0.5],
    },
    {
      id: 6,
      number: 4712,
      user: "job",
      application: "nightly",
      seen: 20,
      share: 0.4,
      first: "2026-03-02T10:00:10Z",
      last: "2026-03-02T10:00:20Z",
      kinds: [1, 0],
    },
  ],
  sessionCount: 3,
};

test("one session shows all that it did, one statement who sent it, and all comes back", async () => {
  const page = watchPageOf({
    ...narrowed,
    part: [1, 2, 0],
    did: [
      {
        from: "2026-03-02T10:00:00Z",
        to: "2026-03-02T10:00:10Z",
        pattern: "ab",
        sql: "UPDATE parcel SET weight = 1",
        kind: "Lock",
        looks: 7,
      },
    ],
  });
  const asked = serve({
    [`GET /api${at}`]: page,
    "GET /api/books/3/watches": { possible: true, running: null, watches: [] },
  });
  const { router } = await visit(at);
  fireEvent.click(await screen.findByRole("button", { name: "4711 app web" }));
  await waitFor(() => expect(router.state.location.search).toEqual({ session: 5 }));
  expect(asked.at(-1)?.query.get("session")).toBe("5");
  expect(await screen.findByText("What it did, in order")).toBeTruthy();
  expect(screen.getByText("session 4711 alone")).toBeTruthy();
  expect(screen.getByRole("row", { name: /of what is chosen/ })).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "SELECT 1" }));
  await waitFor(() => expect(router.state.location.search).toEqual({ session: 5, pattern: "cd" }));
  fireEvent.click(screen.getByRole("button", { name: "the whole watch" }));
  await waitFor(() => expect(router.state.location.search).toEqual({}));
  expect(screen.getByText(/1 more were seen less/, { selector: "p:last-of-type" })).toBeTruthy();
});

test("a span is chosen by keys, read out on the way", async () => {
  serve({
    [`GET /api${at}`]: watchPageOf(narrowed),
    "GET /api/books/3/watches": { possible: true, running: null, watches: [] },
  });
  const { router } = await visit(at);
  const course = await screen.findByRole("slider", { name: "Sessions over time" });
  fireEvent.keyDown(course, { key: "ArrowRight" });
  fireEvent.keyDown(course, { key: "ArrowRight" });
  expect(course.getAttribute("aria-valuetext")).toMatch(/4.00 active, a lock 3.00, on a processor 1.00$/);
  fireEvent.keyDown(course, { key: "ArrowRight", shiftKey: true });
  await waitFor(() =>
    expect(router.state.location.search).toEqual({
      from: "2026-03-02T10:00:10Z",
      to: "2026-03-02T10:00:30.000Z",
    }),
  );
  fireEvent.keyDown(screen.getByRole("slider", { name: "Sessions over time" }), { key: "Escape" });
  await waitFor(() => expect(router.state.location.search).toEqual({}));
});

test("another watch stands beside it on one scale, and can be taken away", async () => {
  const other = watchOf({ id: 2, beganAt: "2026-03-01T10:00:00Z" });
  serve({
    [`GET /api${at}`]: watchPageOf(),
    "GET /api/books/3/watches/2": watchPageOf({
      watch: other,
      course: [{ at: "2026-03-01T10:00:00Z", samples: 10, active: 8, kinds: [8, 0] }],
    }),
    "GET /api/books/3/watches": { possible: true, running: null, watches: [watchOf(), other] },
  });
  const { router } = await visit(at);
  fireEvent.change(await screen.findByLabelText(/beside it/), { target: { value: "2" } });
  const beside = await screen.findByRole("region", { name: /Watch of 2026-03-01/ });
  expect(within(beside).getByText(/8.00 at once|up to 8.00/)).toBeTruthy();
  // A third of the other's length: drawn as a third of its width.
  const drawn = within(beside).getAllByRole("img")[0]?.getAttribute("width") ?? "";
  expect(Number.parseFloat(drawn)).toBeCloseTo(100 / 3, 1);
  fireEvent.click(within(beside).getByRole("button", { name: "take away" }));
  await waitFor(() => expect(router.state.location.search).toEqual({}));
});

test("of a watch that kept no sessions it is said", async () => {
  serve({ [`GET /api${at}`]: watchPageOf() });
  await show(<WatchView />, path, at);
  expect(await screen.findByText(/Which session did what was not kept/)).toBeTruthy();
});
