// @vitest-environment happy-dom
import { act, fireEvent, renderHook, screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import { serve, show } from "../testing/show";
import { Settings } from "./Settings";
import { SubjectField } from "./SubjectField";
import { Statements, Steps } from "./Understood";
import { settingsOf, useDraft } from "./useDraft";

test("what is written survives a reload, and is gone once it is started", () => {
  const first = renderHook(() => useDraft());
  act(() => first.result.current.set({ workload: "SELECT 1", tolerance: "8" }));
  first.unmount();
  const second = renderHook(() => useDraft());
  expect(second.result.current.draft.workload).toBe("SELECT 1");
  act(() => second.result.current.clear());
  second.unmount();
  expect(renderHook(() => useDraft()).result.current.draft.workload).toBe("");
});

test("a draft that cannot be read is an empty one", () => {
  localStorage.setItem("draft", "{broken");
  expect(renderHook(() => useDraft()).result.current.draft.tolerance).toBe("5");
});

test("settings are numbers, no limit is null, and what is no number becomes 0 for the server to explain", () => {
  const { result } = renderHook(() => useDraft());
  expect(settingsOf(result.current.draft)).toMatchObject({
    tolerancePercent: 5,
    maxSeconds: null,
    statementSeconds: 30,
  });
  act(() => result.current.set({ tolerance: "five", maxSeconds: "12.5" }));
  expect(settingsOf(result.current.draft)).toMatchObject({ tolerancePercent: 0, maxSeconds: 12.5 });
});

test("settings are changed one by one", async () => {
  const set = vi.fn();
  const { result } = renderHook(() => useDraft());
  await show(<Settings draft={result.current.draft} set={set} />);
  fireEvent.change(await screen.findByLabelText(/level within/), { target: { value: "10" } });
  fireEvent.click(screen.getByLabelText(/quick/));
  expect(set.mock.calls).toEqual([[{ tolerance: "10" }], [{ quick: true }]]);
});

test("statements are listed as they are understood, with their cases", async () => {
  const go = vi.fn();
  const cases = [
    { label: "1", share: 0.5, binds: "hut=3" },
    { label: "2", share: 0.5, binds: "hut=41" },
  ];
  await show(
    <Statements
      go={go}
      only={[]}
      setOnly={() => {}}
      statements={[
        { number: 1, name: "huts", line: 4, callsPerDay: 1200, rewritten: true, cases },
        {
          number: 2,
          name: "all",
          line: 9,
          callsPerDay: null,
          rewritten: false,
          cases: [{ label: "1", share: 1, binds: "" }],
        },
      ]}
    />,
  );
  expect(await screen.findByText("2: hut=3; hut=41")).toBeTruthy();
  expect(screen.getByText("rewritten")).toBeTruthy();
  fireEvent.click(screen.getByText("all"));
  expect(go).toHaveBeenCalledWith(9);
});

test("an empty workload and an empty change say what may be written", async () => {
  await show(
    <>
      <Statements statements={[]} go={() => {}} only={[]} setOnly={() => {}} />
      <Steps steps={[]} go={() => {}} />
    </>,
  );
  expect(await screen.findByText(/Statements appear here as you type/)).toBeTruthy();
  expect(screen.getByText(/Migration statements, and rewrites under/)).toBeTruthy();
});

test("some statements are measured, first in the list, and all again by one press", async () => {
  const setOnly = vi.fn();
  const statement = (number: number, name: string) => ({
    number,
    name,
    line: number,
    callsPerDay: null,
    rewritten: false,
    cases: [{ label: "1", share: 1, binds: "" }],
  });
  const statements = [statement(1, "huts"), statement(2, "boats"), statement(3, "piers")];
  const { unmount } = await show(
    <Statements go={() => {}} only={["piers", "gone"]} setOnly={setOnly} statements={statements} />,
  );
  expect(await screen.findByText(/1 of 3 statements will be measured/)).toBeTruthy();
  expect(
    screen
      .getAllByRole("checkbox")
      .map((c) => [c.getAttribute("aria-label"), (c as HTMLInputElement).checked]),
  ).toEqual([
    ["measure piers", true],
    ["measure huts", false],
    ["measure boats", false],
  ]);
  fireEvent.click(screen.getByLabelText("measure boats"));
  expect(setOnly).toHaveBeenLastCalledWith(["boats", "piers"]);
  // The last one stays: nothing to measure is no trial.
  fireEvent.click(screen.getByLabelText("measure piers"));
  expect(setOnly).toHaveBeenCalledTimes(1);
  fireEvent.click(screen.getByText("and everything else, for side effects"));
  expect(setOnly).toHaveBeenLastCalledWith([]);
  unmount();
  await show(<Statements go={() => {}} only={["huts", "boats"]} setOnly={setOnly} statements={statements} />);
  fireEvent.click(await screen.findByLabelText("measure piers"));
  expect(setOnly).toHaveBeenLastCalledWith([]);
});

test("a rewrite names its statement among the steps", async () => {
  await show(<Steps go={() => {}} steps={[{ number: 1, line: 3, text: "SELECT 2", rewrites: "huts" }]} />);
  expect(await screen.findByText("rewrites huts:")).toBeTruthy();
});

test("an upload becomes the subject; one that is refused says why", async () => {
  const change = vi.fn();
  serve({ "POST /api/uploads": { path: "/home/uploads/1.db", name: "depot.db", bytes: 2048 } });
  const { unmount } = await show(<SubjectField subject="" onChange={change} problems={[]} />);
  fireEvent.change(await screen.findByLabelText("Upload a SQLite file"), {
    target: { files: [new File(["x"], "depot.db")] },
  });
  expect(await screen.findByText(/depot.db, 2.00 KiB/)).toBeTruthy();
  expect(change).toHaveBeenCalledWith("/home/uploads/1.db", "depot.db");
  unmount();
  serve({});
  await show(<SubjectField subject="" onChange={change} problems={[]} />);
  fireEvent.change(await screen.findByLabelText("Upload a SQLite file"), {
    target: { files: [new File(["x"], "bad.db")] },
  });
  expect((await screen.findByRole("alert")).textContent).toContain("Refused for the test.");
});
