// @vitest-environment happy-dom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { Schemas } from "../api/client";
import { serve, show, visit } from "../testing/show";
import { line, trial } from "../testing/trial";
import { Strip } from "./Strip";
import { within as inside, reachOf, stemsOf, ticksOf } from "./stems";

type Time = Schemas["ResultTime"];

const timed = (number: number, ratio: number, verdict: Schemas["Verdict"] | null = "level") =>
  line(number, { verdict, time: { ...(line(1).result.time as Time), ratio } });

const item = (number: number, before: number, after: number): Schemas["BillItem"] => ({
  line: number,
  statement: `statement_${number}`,
  case: "1",
  callsPerDay: 1,
  seconds: { before, after, change: after - before },
  shareOfChange: after - before,
});

const page = (lines: ReturnType<typeof line>[], items: Schemas["BillItem"][] = []) => {
  const made = trial({ lines });
  return { ...made, bill: { ...made.bill, items, beforeSecondsPerDay: 80, afterSecondsPerDay: 100 } };
};

test("every line with a change stands in its order, as high as its larger side's share of the bill", () => {
  const byWork = line(4, {
    verdict: "improved",
    time: null,
    work: { counter: "vmSteps", before: 100, after: 10, ratio: 0.1 } as never,
  });
  const untold = line(5, { verdict: "failed", time: null });
  const stems = stemsOf(
    page([timed(1, 3, "regressed"), timed(2, 1), byWork, untold], [item(1, 10, 50), item(2, 40, 39)]),
  );
  expect(stems.map((s) => [s.line, s.ratio, s.share])).toEqual([
    [4, 0.1, 0],
    [2, 1, 0.4],
    [1, 3, 0.5],
  ]);
});

test.each([
  [[1.01], 1.5, [1 / 1.5, 1, 1.5]],
  [[0.4, 1.2], 5, [0.2, 0.5, 1, 2, 5]],
  [[700], 1000, [0.001, 0.1, 1, 10, 1000]],
  [[1e9], 10_000, [0.0001, 0.1, 1, 10, 10_000]],
])("the axis of %j reaches %d, with round ticks", (ratios, reach, ticks) => {
  const stems = ratios.map((ratio, i) => ({ line: i, name: "", ratio, share: 0, verdict: null }));
  expect(reachOf(stems)).toBe(reach);
  expect(ticksOf(reach)).toEqual(ticks);
});

test("a line without a change lies in no span", () => {
  expect(inside(undefined, null)).toBe(true);
  expect(inside({ from: 0, to: 2 }, null)).toBe(false);
  expect(inside({ from: 1, to: 2 }, 2)).toBe(true);
});

test("the strip is read out and chosen from by keys alone", async () => {
  const choose = vi.fn();
  await show(
    <Strip
      page={page([timed(1, 3, "regressed"), timed(2, 1)], [item(1, 10, 50)])}
      selected={null}
      choose={choose}
      narrow={() => {}}
    />,
  );
  const strip = await screen.findByRole("slider");
  fireEvent.keyDown(strip, { key: "End" });
  expect(strip.getAttribute("aria-valuetext")).toBe(
    "statement_1 1: 3.00x dearer, 50.0 % of the bill, regressed",
  );
  fireEvent.keyDown(strip, { key: "ArrowLeft" });
  expect(strip.getAttribute("aria-valuetext")).toBe("statement_2 1: same, not in the bill, level");
  fireEvent.keyDown(strip, { key: "Enter" });
  expect(choose).toHaveBeenCalledWith(2);
});

test("dragging narrows the table, the address keeps it, and one press takes it back", async () => {
  serve({ "GET /api/trials/4": page([timed(1, 3, "regressed"), timed(2, 1)], [item(1, 10, 50)]) });
  const { router } = await visit("/trials/4");
  const strip = await screen.findByRole("slider");
  fireEvent.pointerDown(strip, { clientX: 400 });
  fireEvent.pointerMove(strip, { clientX: 500 });
  fireEvent.pointerUp(strip, { clientX: 640 });
  const names = () => [...document.querySelectorAll("tbody button[id^=line-]")].map((b) => b.textContent);
  await waitFor(() => expect(names()).toEqual(["statement_1 1"]));
  expect(Number((router.state.location.search as { from?: number }).from)).toBeGreaterThan(1.2);
  fireEvent.click(screen.getByText("all changes"));
  await waitFor(() => expect(names().length).toBe(2));
});

test("what is shown of a trial comes back with its address", async () => {
  serve({ "GET /api/trials/4": page([timed(1, 3, "regressed"), timed(2, 1), timed(3, 0.2, "improved")]) });
  await visit("/trials/4?show=regressed,improved&sort=change&down=true&find=statement&to=2");
  expect(((await screen.findByLabelText("improved 1")) as HTMLInputElement).checked).toBe(true);
  expect([...document.querySelectorAll("tbody button[id^=line-]")].map((b) => b.textContent)).toEqual([
    "statement_3 1",
  ]);
  expect((screen.getByLabelText("Search statements and values") as HTMLInputElement).value).toBe("statement");
  expect(screen.getByRole("columnheader", { name: /change/ }).getAttribute("aria-sort")).toBe("descending");
});

test("two thousand lines are drawn without their heads", async () => {
  const lines = Array.from({ length: 2_000 }, (_, i) => timed(i + 1, 0.5 + i / 1_000));
  const { container } = await show(
    <Strip page={page(lines)} selected={null} choose={() => {}} narrow={() => {}} />,
  );
  await screen.findByRole("slider");
  expect(container.querySelectorAll("rect").length).toBe(2_001);
  expect(container.querySelectorAll("path").length).toBe(0);
});
