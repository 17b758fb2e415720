// @vitest-environment happy-dom
import { fireEvent, screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { Deployment, Point } from "../api/daybook";
import { show } from "../testing/show";
import { watchOf } from "../testing/watch";
import { measureOf } from "./measures";
import { Timeline } from "./Timeline";

const hour = 3_600_000;
const start = Date.parse("2026-07-06T00:00:00Z");
const iso = (t: number) => new Date(t).toISOString();
const course = Array.from({ length: 48 }, (_, i) => ({
  at: iso(start + i * hour),
  calls: 10,
  errors: 0,
  seconds: i,
})) as Point[];
const deployment = (id: number, at: number, version: string, noticed = false): Deployment => ({
  id,
  at: iso(at),
  version,
  what: "Tidy up",
  script: "",
  noticed,
});

function timeline(over: Partial<Parameters<typeof Timeline>[0]> = {}) {
  return (
    <Timeline
      course={course}
      apart={[]}
      from={iso(start)}
      to={iso(start + 48 * hour)}
      minutes={60}
      measure={measureOf("time")}
      deployments={[deployment(1, start + 10 * hour, "3.3"), deployment(2, start + 30 * hour, "", true)]}
      span={null}
      select={() => {}}
      open={() => {}}
      {...over}
    />
  );
}

test("it says in words what it shows", async () => {
  await show(timeline());
  const chart = await screen.findByRole("img");
  expect(chart.getAttribute("aria-label")).toContain("time in the database from 2026-07-06");
  expect(chart.getAttribute("aria-label")).toContain("at most 47.0 s an hour, with 2 deployments");
});

test("each deployment is a button, and one that nobody announced has no version", async () => {
  const open = vi.fn();
  await show(timeline({ open, chosen: 1 }));
  const buttons = await screen.findAllByRole("button");
  expect(buttons.map((b) => b.textContent)).toEqual(["3.3", "?"]);
  expect(buttons[0]?.getAttribute("aria-pressed")).toBe("true");
  expect(buttons[1]?.getAttribute("aria-label")).toContain("not announced");
  fireEvent.click(buttons[1] as HTMLElement);
  expect(open).toHaveBeenCalledWith(2);
});

test("without a span there is nothing to move", async () => {
  await show(timeline());
  await screen.findByRole("img");
  expect(screen.queryAllByRole("slider", { name: /of the span/ })).toEqual([]);
});

test("the ends of a span move by keys, by the stretch of a point and by a day", async () => {
  const select = vi.fn();
  await show(timeline({ select, span: { from: start + 5 * hour, to: start + 20 * hour } }));
  const [from, to] = (await screen.findAllByRole("slider", { name: /of the span/ })) as [
    HTMLElement,
    HTMLElement,
  ];
  fireEvent.keyDown(to, { key: "ArrowRight" });
  expect(select).toHaveBeenLastCalledWith({ from: start + 5 * hour, to: start + 21 * hour });
  fireEvent.keyDown(to, { key: "PageUp" });
  expect(select).toHaveBeenLastCalledWith({ from: start + 5 * hour, to: start + 44 * hour });
  fireEvent.keyDown(from, { key: "PageDown" });
  expect(select).toHaveBeenLastCalledWith({ from: start, to: start + 20 * hour });
});

test("an end that passes the other changes places with it", async () => {
  const select = vi.fn();
  await show(timeline({ select, span: { from: start + 19 * hour, to: start + 20 * hour } }));
  const from = (await screen.findAllByRole("slider", { name: /of the span/ }))[0] as HTMLElement;
  fireEvent.keyDown(from, { key: "PageUp" });
  expect(select).toHaveBeenLastCalledWith({ from: start + 20 * hour, to: start + 43 * hour });
});

test("a gap in the course falls to the base line", async () => {
  const { container } = await show(timeline({ course: [course[1], course[40]] as Point[] }));
  await screen.findByRole("img");
  const path = container.querySelector("path")?.getAttribute("d") ?? "";
  expect(path.match(/M/g)?.length).toBe(2);
});

test("sources stand apart as lines of their own strokes, and the scale follows the higher of them", async () => {
  const half = course.map((c) => ({ ...c, seconds: c.seconds / 2 }));
  const { container } = await show(
    timeline({
      apart: [
        { key: 1, course: half, dash: "" },
        { key: 2, course: half, dash: "7 3" },
      ],
    }),
  );
  const chart = await screen.findByRole("img");
  expect(chart.getAttribute("aria-label")).toContain("at most 23.5 s an hour");
  const paths = [...container.querySelectorAll("path")];
  expect(paths.map((p) => p.getAttribute("stroke-dasharray"))).toEqual([null, "7 3"]);
});

test("looked at closer, it keeps what lies in view and names the hours", async () => {
  const { container } = await show(
    timeline({
      from: iso(start + 24 * hour),
      to: iso(start + 36 * hour),
      span: { from: start, to: start + 26 * hour },
    }),
  );
  expect((await screen.findAllByRole("button")).map((b) => b.textContent)).toEqual(["?"]);
  expect(container.querySelector("rect")).toBeTruthy();
  expect(screen.queryByRole("slider", { name: /of the span/ })).toBeNull();
  expect(screen.getByText("06:00")).toBeTruthy();
});

test("a watch stands where it was held, and opens", async () => {
  const openWatch = vi.fn();
  const watches = [watchOf({ id: 7, beganAt: iso(start + 5 * hour), lastAt: iso(start + 6 * hour) })];
  await show(timeline({ watches, openWatch, deployments: [] }));
  const button = await screen.findByRole("button", { name: /Watched from .* 2 pile-ups/ });
  fireEvent.click(button);
  expect(openWatch).toHaveBeenCalledWith(7);
});

test("a watch outside of what is shown is left out", async () => {
  const watches = [watchOf({ beganAt: iso(start + 50 * hour), lastAt: iso(start + 51 * hour) })];
  await show(timeline({ watches, deployments: [] }));
  expect(screen.queryByRole("button")).toBeNull();
});

test("of watches that stand close together only the last has room for its word", async () => {
  const watches = [3, 1, 2].map((n) =>
    watchOf({ id: n, beganAt: iso(start + n * hour), lastAt: iso(start + n * hour + 1000) }),
  );
  await show(timeline({ watches, deployments: [] }));
  const buttons = await screen.findAllByRole("button");
  expect(buttons.map((b) => b.textContent)).toEqual(["", "", "watch"]);
});

test("arrow keys read the course out, and with Shift they choose a span", async () => {
  const select = vi.fn();
  await show(timeline({ select }));
  const picture = await screen.findByRole("slider", { name: /The course of/ });
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  expect(picture.getAttribute("aria-valuetext")).toMatch(/: 1.00 s an hour$/);
  fireEvent.keyDown(picture, { key: "End" });
  expect(picture.getAttribute("aria-valuetext")).toMatch(/: 47.0 s an hour$/);
  fireEvent.keyDown(picture, { key: "ArrowLeft", shiftKey: true });
  expect(select).toHaveBeenLastCalledWith({ from: start + 46 * hour, to: start + 47 * hour });
  fireEvent.blur(picture);
  expect(picture.getAttribute("aria-valuetext")).toMatch(/^arrow keys/);
});

test("the values of the axis are round", async () => {
  const { container } = await show(timeline());
  await screen.findByRole("img");
  const words = [...container.querySelectorAll("text")].map((t) => t.textContent);
  expect(words.slice(0, 3)).toEqual(["0", "20.0", "40.0"]);
});
