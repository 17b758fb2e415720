// @vitest-environment happy-dom
import { fireEvent, screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { Schemas } from "../api/client";
import { serve, show, visit } from "../testing/show";
import { trial } from "../testing/trial";
import { SmallStrip } from "./SmallStrip";

const stem = (line: number, ratio: number, verdict: Schemas["Stem"]["verdict"]) => ({
  line,
  ratio,
  share: 0.1 * line,
  verdict,
});
const side = (id: number, over: object = {}) => ({
  id,
  bookId: 1,
  bookName: `Book ${id}`,
  title: "Index",
  state: "finished",
  headline: "1 of 2 regressed",
  beforeSecondsPerDay: 10,
  afterSecondsPerDay: 12,
  stems: [stem(1, 2, "regressed")],
  ...over,
});
const cell = (number: number, verdict: string, ratio: number) => ({
  number,
  verdict,
  basis: "time",
  ratio,
  low: ratio * 0.98,
  high: ratio * 1.02,
  beforeMs: 2,
  afterMs: 2 * ratio,
  tolerancePercent: 5,
});
const page = {
  sentence: "Of 2 lines in common, 1 decided otherwise.",
  first: side(4),
  second: side(9),
  facts: [{ name: "engine", first: "SQLite 3.50", second: "PostgreSQL 15" }],
  rows: [
    {
      statement: "arrivals",
      case: "1",
      agreement: "disagree",
      first: cell(1, "regressed", 2),
      second: cell(3, "improved", 0.5),
    },
    {
      statement: "huts",
      case: "1",
      agreement: "agree",
      first: cell(2, "level", 1),
      second: cell(4, "level", 1),
    },
    { statement: "new", case: "1", agreement: "onlyOne", first: null, second: cell(5, "level", 1) },
  ],
};

test("two trials stand side by side, where they disagree first, what agrees one step away", async () => {
  serve({ "GET /api/trials/4/beside/9": page, "GET /api/trials/4": trial() });
  await visit("/trials/4/beside?with=9");
  expect(await screen.findByRole("heading", { name: page.sentence })).toBeTruthy();
  expect(screen.getByRole("row", { name: "engine SQLite 3.50 PostgreSQL 15" })).toBeTruthy();
  const row = screen.getByRole("row", { name: /disagree arrivals 1/ });
  expect(within(row).getByText("regressed")).toBeTruthy();
  expect(within(row).getByText("improved").closest("a")?.getAttribute("href")).toBe("/trials/9/lines/3");
  expect(screen.getByText("not there")).toBeTruthy();
  expect(screen.queryByText("huts")).toBeNull();
  fireEvent.click(screen.getByRole("link", { name: "and 1 on which they agree" }));
  expect(await screen.findByText("huts")).toBeTruthy();
});

test("without another trial one is chosen, those of the same title first", async () => {
  const item = (id: number, title: string, stems: object[] = [stem(1, 2, "regressed")]) => ({
    id,
    bookId: 1,
    bookName: "Depot",
    title,
    state: "finished",
    at: "2026-07-18T09:00:00Z",
    headline: "level",
    stems,
  });
  serve({
    "GET /api/trials": [item(9, "Other"), item(8, "Index"), item(7, "Never measured", []), item(4, "Index")],
    "GET /api/trials/4": trial(),
  });
  const { router } = await visit("/trials/4/beside");
  await screen.findByRole("heading", { name: "Beside which trial?" });
  const links = (await screen.findAllByRole("link", { name: /Other|Index|Never/ })).map((l) => l.textContent);
  expect(links).toEqual(["Index", "Other"]);
  fireEvent.click(screen.getByRole("link", { name: "Index" }));
  await screen.findByText("Refused for the test.");
  expect(router.state.location.search).toEqual({ with: 8 });
});

test("where there is no other trial it says what to do", async () => {
  serve({ "GET /api/trials": [], "GET /api/trials/4": trial() });
  await visit("/trials/4/beside");
  expect(await screen.findByText("There is no other trial that measured something")).toBeTruthy();
});

test("a trial at a glance says in words what it draws, open where unsettled", async () => {
  const { container } = await show(
    <SmallStrip stems={[stem(1, 0.2, "improved"), stem(2, 1, "unsettled"), stem(3, 500, "regressed")]} />,
  );
  expect(await screen.findByRole("img", { name: "1 regressed, 1 unsettled, 1 improved" })).toBeTruthy();
  const bars = [...container.querySelectorAll("rect")];
  expect(bars.map((b) => b.getAttribute("fill"))).toEqual(["currentColor", "none", "currentColor"]);
  // Beyond the axis it stands at its end.
  expect(Number(bars[2]?.getAttribute("x"))).toBeCloseTo(117, 0);
});

test("a trial without any line settled draws nothing", async () => {
  const { container } = await show(<SmallStrip stems={[]} />);
  expect(container.querySelector("svg")).toBeNull();
});
