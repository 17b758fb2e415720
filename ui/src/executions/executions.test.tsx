// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { serve, visit } from "../testing/show";

const page = {
  from: "2026-07-06T00:00:00Z",
  to: "2026-07-08T00:00:00Z",
  count: 3,
  executions: [
    { id: 3, at: "2026-07-07T10:00:00Z", ms: 900, hash: "00ab", error: "" },
    { id: 1, at: "2026-07-06T10:00:00Z", ms: 40, hash: "00ab", error: "40001" },
    { id: 2, at: "2026-07-06T12:00:00Z", ms: 2, hash: "00cd", error: "" },
  ],
  texts: { "00ab": "select note from parcel where depot = ?", "00cd": "select 1" },
};
const book = { book: { id: 1, name: "Depot" }, changes: [], trials: [] };

async function open(of: object = page, at = "/books/1/executions") {
  const asked = serve({ "GET /api/books/1/executions": of, "GET /api/books/1": book });
  const view = await visit(at);
  await screen.findByRole("heading", { name: /kept execution/ });
  return { ...view, asked };
}

const times = () =>
  within(screen.getByRole("table"))
    .getAllByRole("row")
    .slice(1)
    .map((r) => r.querySelectorAll("td")[1]?.textContent);

test("executions stand over time, and the longest first below", async () => {
  const { container } = await open();
  expect(container.querySelectorAll("circle").length).toBe(3);
  expect(times()).toEqual(["900 ms", "40.0 ms failed", "2.00 ms"]);
  expect(screen.getByRole("img", { name: "3 executions between 2.00 and 900 ms" })).toBeTruthy();
});

test("what is dragged over is listed, and all of it again by choice", async () => {
  const { container } = await open();
  const svg = container.querySelector("svg[role=img]") as SVGElement;
  // The left half, whatever its height: the two of the first day.
  fireEvent.pointerDown(svg, { clientX: 63, clientY: 1, pointerId: 1 });
  fireEvent.pointerMove(svg, { clientX: 600, clientY: 290, pointerId: 1 });
  fireEvent.pointerUp(svg, { clientX: 600, clientY: 290, pointerId: 1 });
  expect(times()).toEqual(["40.0 ms failed", "2.00 ms"]);
  fireEvent.click(screen.getByRole("button", { name: "all of them" }));
  expect(times().length).toBe(3);
});

test("arrow keys read one after the other in their order, and Enter opens the statement", async () => {
  const { router } = await open();
  const picture = screen.getByRole("slider", { name: "Kept executions over time" });
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  expect(picture.getAttribute("aria-valuetext")).toContain("40.0 ms, failed: select note");
  fireEvent.keyDown(picture, { key: "End" });
  expect(picture.getAttribute("aria-valuetext")).toContain("900 ms");
  fireEvent.keyDown(picture, { key: "Enter" });
  await screen.findByText("Refused for the test.");
  expect(router.state.location.pathname).toBe("/books/1/statements/00ab");
});

test("an address narrows it, and says to what", async () => {
  const { asked } = await open(page, "/books/1/executions?table=parcel&slow=30");
  expect(screen.getByText(/narrowed to parcel/)).toBeTruthy();
  const query = asked.find((a) => a.path.endsWith("/executions"))?.query;
  expect([query?.get("table"), query?.get("slow")]).toEqual(["parcel", "30"]);
});

test("a span without any says what to do", async () => {
  await open({ ...page, count: 0, executions: [], texts: {} });
  expect(screen.getByText("No execution is kept there")).toBeTruthy();
  expect(screen.queryByRole("slider")).toBeNull();
});
