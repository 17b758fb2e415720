// @vitest-environment happy-dom
import { fireEvent, screen } from "@testing-library/react";
import { useState } from "react";
import { expect, test, vi } from "vitest";
import type { Point, Sample } from "../api/daybook";
import { finding } from "../testing/plans";
import { show } from "../testing/show";
import { SampleCourse } from "./SampleCourse";
import { Samples } from "./Samples";

const sample = (id: number, ms: number | null, over: Partial<Sample> = {}): Sample => ({
  id,
  source: "db1",
  why: "random",
  at: "2026-07-06T10:00:00.000Z",
  ms,
  sql: `SELECT ${id}`,
  binds: `id=${id}`,
  rowsReturned: 1,
  rowsRead: 40_000,
  error: "",
  message: "",
  session: "s1",
  application: "",
  user: "",
  plan: "",
  findings: [],
  ...over,
});

function Opened({ samples }: { samples: Sample[] }) {
  const [chosen, choose] = useState<number | null>(null);
  return <Samples samples={samples} chosen={chosen} choose={choose} />;
}

test("the slowest stand first, those without a duration last", async () => {
  await show(<Opened samples={[sample(1, 2), sample(2, null), sample(3, 90)]} />);
  const rows = await screen.findAllByRole("button");
  expect(rows.map((r) => r.textContent)).toEqual(["id=3", "id=1", "id=2"]);
});

test("what its plan shows stands below it, and leads to the glossary", async () => {
  await show(<Opened samples={[sample(1, 2, { plan: "SCAN parcel", findings: [finding] })]} />);
  fireEvent.click(await screen.findByRole("button"));
  expect(screen.getByText(finding.title).getAttribute("href")).toBe(`/glossary#${finding.kind}`);
});

test("one opens in full and closes again", async () => {
  await show(<Opened samples={[sample(1, 2, { why: "slowest", plan: "SCAN parcel" })]} />);
  const button = await screen.findByRole("button");
  fireEvent.click(button);
  expect(button.getAttribute("aria-expanded")).toBe("true");
  expect(screen.getByText(/among the slowest, source db1, session s1/)).toBeTruthy();
  expect(screen.getByLabelText("Plan of this execution").textContent).toBe("SCAN parcel");
  fireEvent.click(button);
  expect(screen.queryByLabelText("SQL of this execution")).toBeNull();
});

test("a failed execution shows its code in the list and its message when open", async () => {
  await show(
    <Opened samples={[sample(1, null, { error: "40001", message: "deadlock detected", binds: "" })]} />,
  );
  const button = await screen.findByRole("button");
  expect(button.textContent).toBe("40001 without parameters");
  fireEvent.click(button);
  expect(screen.getByText("deadlock detected")).toBeTruthy();
});

const point = (hour: number, p50Ms: number, p95Ms: number) =>
  ({ at: `2026-07-06T${String(hour).padStart(2, "0")}:00:00.000Z`, p50Ms, p95Ms }) as Point;

test("the course says its range in words and a point can be chosen", async () => {
  const choose = vi.fn();
  const { container } = await show(
    <SampleCourse
      course={[point(9, 1, 4), point(10, 2, 8)]}
      samples={[sample(7, 90)]}
      deployments={[]}
      minutes={60}
      chosen={null}
      choose={choose}
    />,
  );
  const chart = await screen.findByRole("group");
  expect(chart.getAttribute("aria-label")).toContain("Durations from 1.00 to 90.0 ms, 1 kept executions");
  fireEvent.click(container.querySelector("circle") as Element);
  expect(choose).toHaveBeenCalledWith(7);
});

test("a capture without durations has no chart", async () => {
  await show(
    <SampleCourse course={[]} samples={[]} deployments={[]} minutes={60} chosen={null} choose={() => {}} />,
  );
  expect(await screen.findByText("The capture gives no durations.")).toBeTruthy();
});
