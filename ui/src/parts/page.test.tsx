// @vitest-environment happy-dom
import { act, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";
import { serve, visit } from "../testing/show";
import { trial } from "../testing/trial";

afterEach(() => vi.useRealTimers());

test.each([
  "/books/abc",
  "/books/0/daybook",
  "/books/-1/catalogue",
  "/books/1.5/batch",
  "/books/x/statements/ab",
  "/books/3/watches/last",
  "/trials/first",
  "/trials/4/lines/one",
  "/trials/4/plans/one",
  "/nowhere",
])("%s leads nowhere, says so, and asks nobody", async (path) => {
  const asked = serve({ "GET /api/books": [] });
  await visit(path);
  expect(await screen.findByText("There is nothing at this address")).toBeTruthy();
  expect(screen.getByRole("link", { name: "Go to the books" })).toBeTruthy();
  expect(asked.filter((a) => a.path !== "/api/books" && a.path !== "/api/alive")).toEqual([]);
  expect(document.title).toBe("Nothing here - Swift Ledger");
});

test.each([
  ["/glossary", { "GET /api/glossary": [] }, "Glossary - Swift Ledger"],
  ["/", { "GET /api/books": [] }, "Books - Swift Ledger"],
  ["/trials/4", { "GET /api/trials/4": trial() }, /trial 4, .* - Swift Ledger$/],
])("%s has a title of its own", async (path, answers, title) => {
  serve(answers);
  await visit(path);
  await waitFor(() => expect(document.title).toMatch(title));
});

test("the heading of a page that a link led to has the focus, and a skip link leads to its content", async () => {
  serve({ "GET /api/books": [] });
  const { router } = await visit("/nowhere");
  expect(screen.getByText("To the content").getAttribute("href")).toBe("#content");
  await act(() => router.navigate({ to: "/" }));
  await waitFor(() => expect(document.activeElement?.textContent).toBe("No database has been tested yet"));
});

test("a server that does not answer is told within five seconds, and what is shown is read again when it is back", async () => {
  vi.useFakeTimers({ shouldAdvanceTime: true });
  const asked = serve({ "GET /api/books": [], "GET /api/alive": {} });
  await visit("/");
  await screen.findByText("No database has been tested yet");
  const answering = globalThis.fetch;
  vi.stubGlobal("fetch", () => Promise.reject(new TypeError("no connection")));
  await act(() => vi.advanceTimersByTimeAsync(5_000));
  expect(screen.getByRole("status").textContent).toContain("The server has not answered since");
  const before = asked.filter((a) => a.path === "/api/books").length;
  vi.stubGlobal("fetch", answering);
  await act(() => vi.advanceTimersByTimeAsync(2_000));
  expect(screen.queryByText(/has not answered/)).toBeNull();
  await waitFor(() => expect(asked.filter((a) => a.path === "/api/books").length).toBeGreaterThan(before));
});
