// @vitest-environment happy-dom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Schemas } from "../api/client";
import { comparison } from "../testing/plans";
import { serve, show, visit } from "../testing/show";
import { GlossaryView } from "./GlossaryView";
import { PlanCourse } from "./PlanCourse";
import { ownWords } from "./words";

const seen = (over: Partial<Schemas["PlanSeenView"]> = {}): Schemas["PlanSeenView"] => ({
  trialId: 4,
  title: "Index",
  at: "2026-07-07T00:00:00Z",
  side: "after",
  case: "1",
  shape: "s2",
  text: "SCAN parcel",
  medianMs: 4,
  meanMs: 5,
  p95Ms: 9,
  worstMs: 20,
  rowsVisited: 1234,
  blocks: 88,
  verdict: "regressed",
  standing: null,
  ...over,
});
const point = (hour: number, p50: number) => ({
  at: `2026-07-06T0${hour}:00:00Z`,
  calls: 10,
  errors: 0,
  seconds: 0.5,
  p50Ms: p50,
  p95Ms: p50 * 3,
  p99Ms: null,
  p999Ms: null,
  worstMs: p50 * 5,
  rowsReturned: 10,
  rowsRead: 5_000,
  rowsWritten: null,
});
const statement = {
  stretchMinutes: 60,
  course: [point(1, 2), point(2, 40)],
  plans: [
    {
      shape: "s1",
      outline: "SEARCH",
      first: "",
      last: "",
      calls: 1,
      averageMs: 1,
      hours: ["2026-07-06T01:00:00Z"],
    },
    {
      shape: "s2",
      outline: "SCAN",
      first: "",
      last: "",
      calls: 1,
      averageMs: 1,
      hours: ["2026-07-06T02:00:00Z"],
    },
  ],
  deployments: [
    {
      id: 1,
      at: "2026-07-06T01:30:00Z",
      version: "3.3",
      what: "",
      script: "",
      noticed: false,
    },
  ],
};

test("captures and trials stand on one course, by any measure, with the plan that ran and deployments", async () => {
  serve({ "GET /api/books/1/statements/00ab": statement });
  const { container } = await show(
    <PlanCourse book={1} hash="00ab" seen={[seen(), seen({ side: "before", shape: "s1" })]} />,
  );
  const picture = await screen.findByRole("slider", { name: "The statement's median over time" });
  expect(screen.getByText("3.3")).toBeTruthy();
  expect([...container.querySelectorAll("circle")].map((c) => c.getAttribute("class"))).toEqual([
    "fill-ink stroke-ink",
    "fill-paper stroke-ink",
  ]);
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  expect(picture.getAttribute("aria-valuetext")).toMatch(/2.00 ms in captures, by plan 1$/);
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  expect(picture.getAttribute("aria-valuetext")).toMatch(/40.0 ms in captures, by plan 2$/);
  fireEvent.keyDown(picture, { key: "ArrowRight" });
  expect(picture.getAttribute("aria-valuetext")).toMatch(/4.00 ms after in Index, case 1, by plan 2$/);

  for (const [key, told] of [
    ["mean", /50.0 ms in captures/],
    ["worst", /10.0 ms in captures/],
    ["total", /0.500 s in captures/],
    ["rows", /500 rows in captures/],
  ] as const) {
    fireEvent.change(screen.getByRole("combobox"), { target: { value: key } });
    const now = await screen.findByRole("slider");
    fireEvent.keyDown(now, { key: "Home" });
    expect(now.getAttribute("aria-valuetext")).toMatch(told);
  }
  fireEvent.change(screen.getByRole("combobox"), { target: { value: "blocks" } });
  fireEvent.keyDown(await screen.findByRole("slider"), { key: "Home" });
  expect(screen.getByRole("slider").getAttribute("aria-valuetext")).toMatch(/88.0 blocks/);
});

test("trials months after the captures stand beside them, in their order", async () => {
  serve({ "GET /api/books/1/statements/00ab": statement });
  await show(<PlanCourse book={1} hash="00ab" seen={[seen({ at: "2026-12-01T00:00:00Z" })]} />);
  expect(await screen.findByText("trials, in their order")).toBeTruthy();
});

test("a statement without captures has its trials alone, and one without both nothing", async () => {
  serve({});
  await show(<PlanCourse book={1} hash="00ab" seen={[seen()]} />);
  expect(await screen.findByRole("slider")).toBeTruthy();
  fireEvent.change(screen.getByRole("combobox"), { target: { value: "total" } });
  expect(screen.getByText("Neither captures nor trials tell this of the statement.")).toBeTruthy();
});

test("plans that were pasted have an address, which brings back the texts and the comparison", async () => {
  const given = { before: "SEARCH parcel", after: "SCAN parcel", beforeSql: "", afterSql: "", bookId: 1 };
  const answer = { id: 12, given, plans: comparison(), noteBefore: null, noteAfter: null };
  const asked = serve({
    "POST /api/plans/compare": answer,
    "GET /api/plans/pasted/12": answer,
    "GET /api/books": [{ id: 1, name: "Depot", subject: null }],
  });
  const first = await visit("/plans");
  fireEvent.change(await screen.findByLabelText("plan before"), { target: { value: "SEARCH parcel" } });
  fireEvent.click(screen.getByRole("button", { name: "Compare" }));
  await waitFor(() => expect(first.router.state.location.search).toEqual({ pair: 12 }));
  first.unmount();
  await visit("/plans?pair=12");
  expect(await screen.findByRole("heading", { name: "parcel is now read whole." })).toBeTruthy();
  expect((screen.getByLabelText("plan after") as HTMLTextAreaElement).value).toBe("SCAN parcel");
  expect((screen.getByRole("combobox") as HTMLSelectElement).value).toBe("1");
  expect(asked.some((a) => a.path === "/api/plans/pasted/12")).toBe(true);
});

test("every word of our own is explained, and its mark drawn", async () => {
  serve({ "GET /api/glossary": [] });
  await show(<GlossaryView />, "/", "/#interval");
  expect(await screen.findByRole("heading", { name: "interval, and how it is drawn" })).toBeTruthy();
  for (const word of ownWords) {
    expect(document.getElementById(word.id)?.textContent).toContain(word.what);
  }
  expect(document.getElementById("interval")?.querySelector("svg")).toBeTruthy();
  expect(document.getElementById("regressed")?.querySelectorAll("svg").length).toBe(3);
});
