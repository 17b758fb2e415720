// @vitest-environment happy-dom
import { fireEvent, screen } from "@testing-library/react";
import { useRef } from "react";
import { expect, test, vi } from "vitest";
import { show } from "../testing/show";
import { IntervalBar } from "./IntervalBar";
import { moveAlong, useSearchKey } from "./keys";
import { VerdictMark } from "./Mark";
import { Failure, Problems, Wrong } from "./Notice";
import { Spread } from "./Spread";
import { Sql } from "./Sql";

const bar = {
  low: 0.97,
  high: 1.02,
  centre: 1,
  bandLow: 0.952,
  bandHigh: 1.05,
  width: 84,
  height: 13,
  reach: 1.35,
};

test("an interval says its numbers to those who do not see it", async () => {
  await show(<IntervalBar {...bar} />);
  const label = (await screen.findByRole("img")).getAttribute("aria-label");
  expect(label).toBe("about the same; interval 0.970 to 1.02 against a band of 0.952 to 1.05");
});

test("what lies beyond the scale is an arrow, never a bar at the edge", async () => {
  const { container } = await show(<IntervalBar {...bar} low={40} high={60} centre={50} />);
  await screen.findByRole("img");
  expect(container.querySelector("circle")).toBeNull();
  expect(container.querySelector("path")).not.toBeNull();
});

test("each verdict has a word and a mark of its own shape", async () => {
  const { container } = await show(
    ["regressed", "improved", "level", "unsettled", "failed"].map((v) => <VerdictMark key={v} verdict={v} />),
  );
  await screen.findByText("regressed");
  const shapes = [...container.querySelectorAll("svg")].map(
    (s) =>
      `${s.firstElementChild?.getAttribute("d")} ${s.firstElementChild?.getAttribute("stroke-dasharray")}`,
  );
  expect(new Set(shapes).size).toBe(5);
});

test("a verdict by work says so", async () => {
  await show(<VerdictMark verdict="improved" basis="work" />);
  expect((await screen.findByText(/improved/)).textContent).toBe("improved by work");
});

test("the fold moves by keys within its bounds and is remembered", async () => {
  await show(<Spread name="test" left={<p>left</p>} right={<p>right</p>} start={0.5} />);
  const fold = await screen.findByRole("separator");
  fireEvent.keyDown(fold, { key: "ArrowRight" });
  expect(fold.getAttribute("aria-valuenow")).toBe("52");
  for (let i = 0; i < 30; i++) {
    fireEvent.keyDown(fold, { key: "ArrowRight" });
  }
  expect(fold.getAttribute("aria-valuenow")).toBe("70");
  expect(Number(localStorage.getItem("fold:test"))).toBe(0.7);
});

test("problems name the part and the place, and lead there", async () => {
  const go = vi.fn();
  const problem = { part: "workload", line: 2, column: 10, length: 4, message: "near FORM: syntax error" };
  await show(
    <Problems
      problems={[
        problem,
        { ...problem, part: "subject", line: null, column: null, message: "There is no file" },
      ]}
      go={go}
    />,
  );
  fireEvent.click(await screen.findByText("Workload, line 2, column 10"));
  expect(go).toHaveBeenCalledWith(problem);
  expect(screen.getByText("Database")).toBeTruthy();
});

test("many problems are cut with their number", async () => {
  const problems = Array.from({ length: 15 }, (_, i) => ({
    part: "change",
    line: i + 1,
    column: 1,
    length: 0,
    message: `m${i}`,
  }));
  await show(<Problems problems={problems} />);
  expect(await screen.findByText("and 3 more")).toBeTruthy();
});

test("a failure can be tried again, and no error shows nothing", async () => {
  const retry = vi.fn();
  const { container } = await show(
    <>
      <Failure error={new Error("The server answered 500.")} retry={retry} />
      <span id="none">
        <Wrong error={null} />
      </span>
    </>,
  );
  fireEvent.click(await screen.findByText("Try again"));
  expect(retry).toHaveBeenCalledOnce();
  expect(container.querySelector("#none")?.childElementCount).toBe(0);
});

test("SQL is shown as it is, keywords and literals set apart, markup as text", async () => {
  await show(<Sql label="sql" text={"SELECT '<b>x</b>' -- note\nFROM t"} />);
  const sql = await screen.findByLabelText("sql");
  expect(sql.textContent).toBe("SELECT '<b>x</b>' -- note\nFROM t");
  expect(sql.querySelector("b")).toBeNull();
  expect([...sql.querySelectorAll(".font-medium")].map((k) => k.textContent)).toEqual(["SELECT", "FROM"]);
});

test("keys move along a list and stop at its ends", () => {
  const go = vi.fn();
  const press = (key: string, at: number) =>
    moveAlong({ key, preventDefault: () => {} } as React.KeyboardEvent, 5, at, go);
  press("ArrowDown", 4);
  press("ArrowUp", 0);
  press("End", 1);
  press("Home", 3);
  press("a", 3);
  expect(go.mock.calls.map((c) => c[0])).toEqual([4, 0, 4, 0]);
});

function Search() {
  const field = useRef<HTMLInputElement>(null);
  useSearchKey(field);
  return (
    <>
      <input aria-label="search" ref={field} />
      <input aria-label="other" />
    </>
  );
}

test("the slash goes to the search unless somebody types", async () => {
  await show(<Search />);
  const other = await screen.findByLabelText("other");
  other.focus();
  fireEvent.keyDown(other, { key: "/" });
  expect(document.activeElement).toBe(other);
  fireEvent.keyDown(document.body, { key: "/" });
  expect(document.activeElement).toBe(screen.getByLabelText("search"));
});
