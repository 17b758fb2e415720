// @vitest-environment happy-dom
import { screen } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Schemas } from "../api/client";
import { show } from "../testing/show";
import { PlansSeen } from "./PlansSeen";

const plan = (shape: string, outline: string, hours: string[]): Schemas["PlanView"] => ({
  shape,
  outline,
  first: hours[0] ?? "",
  last: "2026-07-06T05:00:00Z",
  calls: 4,
  averageMs: 2.5,
  hours,
});
const page = (plans: Schemas["PlanView"][]) =>
  ({
    plans,
    stretchMinutes: 60,
    course: [{ at: "2026-07-06T00:00:00Z" }, { at: "2026-07-06T09:00:00Z" }],
  }) as unknown as Schemas["StatementPage"];

test("each plan stands with its operators, its cost, and a mark for each hour in which it was used", async () => {
  const { container } = await show(
    <PlansSeen
      page={page([
        plan("a", "SEARCH parcel USING INDEX parcel_note (note=?)", ["2026-07-06T00:00:00Z"]),
        plan("b", "SCAN parcel", ["2026-07-06T03:00:00Z", "2026-07-06T04:00:00Z"]),
      ])}
    />,
  );
  expect(await screen.findByText("Plan 2")).toBeTruthy();
  expect(screen.getByLabelText("Plan 2").textContent).toContain("SCAN parcel");
  expect(screen.getAllByText(/4 executions, 2.50 ms on average/).length).toBe(2);
  const marks = [...container.querySelectorAll("rect.fill-ink")].map((r) => Number(r.getAttribute("x")));
  expect(marks.length).toBe(3);
  // Ten hours over 694 units from 58 on.
  expect(marks[1]).toBeCloseTo(58 + 3 * 69.4, 1);
});

test("a capture that tells no plans shows none", async () => {
  const { container } = await show(<PlansSeen page={page([])} />);
  expect(container.textContent).toBe("");
});
