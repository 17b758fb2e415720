// @vitest-environment happy-dom
import { act, fireEvent, screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { logTicks, roundTicks } from "../format/ticks";
import { labelOf, tickStepFor, ticksBetween } from "../format/timeTicks";
import { show } from "../testing/show";
import { Copy } from "./Copy";
import { Rows } from "./Rows";
import { pointAt } from "./readOut";

const List = ({ current }: { current?: number }) => (
  <>
    <button type="button">before</button>
    <table>
      <Rows>
        {[1, 2, 3].map((n) => (
          <tr key={n}>
            <td>
              <input type="checkbox" aria-label={`pick ${n}`} />
            </td>
            <td>
              <button type="button" aria-pressed={n === current}>
                row {n}
              </button>
            </td>
          </tr>
        ))}
        <tr>
          <td>sum</td>
        </tr>
      </Rows>
    </table>
  </>
);
const button = (n: number) => screen.getByRole("button", { name: `row ${n}` });
const stops = () =>
  [...document.querySelectorAll<HTMLElement>("tbody button, tbody input")].filter((e) => e.tabIndex === 0);

test("a list is one stop: its first control, or the one that is chosen", async () => {
  await show(<List />);
  await screen.findByRole("table");
  expect(stops().map((e) => e.getAttribute("aria-label"))).toEqual(["pick 1"]);
});

test("arrow keys go from row to row and along a row, and leave the stop where they were", async () => {
  await show(<List current={2} />);
  await screen.findByRole("table");
  expect(stops()).toEqual([button(2)]);
  act(() => button(2).focus());
  fireEvent.keyDown(button(2), { key: "ArrowDown" });
  expect(document.activeElement).toBe(button(3));
  fireEvent.keyDown(button(3), { key: "ArrowDown" });
  expect(document.activeElement).toBe(button(3));
  fireEvent.keyDown(button(3), { key: "Home" });
  expect(document.activeElement).toBe(button(1));
  fireEvent.keyDown(button(1), { key: "ArrowLeft" });
  expect(document.activeElement).toBe(screen.getByLabelText("pick 1"));
  fireEvent.keyDown(screen.getByLabelText("pick 1"), { key: "End" });
  expect(document.activeElement).toBe(screen.getByLabelText("pick 3"));
  expect(stops()).toEqual([screen.getByLabelText("pick 3")]);
  // With another key held it is somebody else's.
  fireEvent.keyDown(screen.getByLabelText("pick 3"), { key: "ArrowUp", ctrlKey: true });
  expect(document.activeElement).toBe(screen.getByLabelText("pick 3"));
});

test("what is copied is told, and also what could not be", async () => {
  const write = vi.fn(async () => {});
  Object.defineProperty(navigator, "clipboard", { configurable: true, value: { writeText: write } });
  await show(
    <>
      <Copy what="SQL" text="SELECT 1" />
      <Copy what="line" text={() => Promise.reject(new Error("gone"))} />
    </>,
  );
  fireEvent.click(await screen.findByRole("button", { name: "Copy SQL" }));
  expect(await screen.findByText("copied")).toBeTruthy();
  expect(write).toHaveBeenCalledWith("SELECT 1");
  fireEvent.click(screen.getByRole("button", { name: "Copy line" }));
  expect(await screen.findByText("not copied")).toBeTruthy();
});

test.each([
  [7.7, [0, 2, 4, 6]],
  [100, [0, 50, 100]],
  [0.031, [0, 0.01, 0.02, 0.03]],
  [3, [0, 1, 2, 3]],
  [0, [0]],
])("ticks up to %d are round", (largest, ticks) => {
  expect(roundTicks(largest)).toEqual(ticks);
});

test.each([
  [0.5, 2_000, [1, 10, 100, 1_000]],
  [3, 30, [5, 10, 20]],
  [11, 14, [12]],
  [1, 1.1, [1]],
])("ticks of a logarithmic axis from %d to %d are round", (low, high, least) => {
  const ticks = logTicks(low, high);
  expect(least.every((t) => ticks.includes(t))).toBe(true);
  expect(ticks.length).toBeGreaterThanOrEqual(Math.min(2, ticks.length));
  expect(ticks.every((t) => t >= low && t <= high)).toBe(true);
});

test("a course's time ticks are at round times and not too many", () => {
  const start = new Date(2026, 6, 6, 5).getTime();
  const end = new Date(2026, 6, 20).getTime();
  const step = tickStepFor(start, end, 900);
  const ticks = ticksBetween(start, end, step);
  expect(ticks.length).toBeLessThanOrEqual(14);
  expect(ticks.every((t) => new Date(t).getHours() === 0)).toBe(true);
  expect(labelOf(ticks[0] ?? 0, step)).toBe("7 Jul");
});

test("the point under a pointer is the last that began", () => {
  expect([0, 10, 15, 30, 99].map((t) => pointAt([10, 20, 30], t))).toEqual([-1, 0, 0, 2, 2]);
  expect(pointAt([], 5)).toBe(-1);
});
