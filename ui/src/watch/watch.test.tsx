// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { serve, show } from "../testing/show";
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
