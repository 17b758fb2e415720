// @vitest-environment happy-dom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { expect, test } from "vitest";
import { Pins } from "../book/Pins";
import { CatalogueView } from "../catalogue/CatalogueView";
import { comparison } from "../testing/plans";
import { serve, show } from "../testing/show";
import { linePage } from "../testing/trial";
import { PlanHistory } from "./PlanHistoryView";
import { PlanMeasures } from "./PlanMeasures";

const index = (name: string, columns: string[], pages: number) => ({
  name,
  columns,
  unique: false,
  partial: false,
  origin: "created",
  pages,
  rowsPerKey: [100],
});
const table = (name: string, rows: number | null, analyzedRows: number | null) => ({
  name,
  rows,
  pages: 256,
  analyzedRows,
  statisticsOffBy: rows !== null && analyzedRows !== null ? rows / analyzedRows : null,
  stale: false,
  changedRows: null,
  apart: null,
  columns: [{ name: "id", type: "INTEGER", notNull: true, key: 1 }],
  indexes: [{ index: index(`${name}_i`, ["depot", "note"], 512), used: false }],
  triggers: [{ name: "count_in", event: "insert" }],
});
const catalogue = {
  trialId: 4,
  readAt: "2026-03-02T10:00:00Z",
  pageSize: 4096,
  tables: [table("parcel", 250_000, 25_000), table("depot", 200, 200), table("cab", null, null)],
  findings: [
    {
      kind: "unusedIndex",
      title: "An index that no statement of the workload uses",
      text: "No statement goes through parcel_i.",
      operator: null,
      share: null,
      remedy: "Drop it in a trial first.",
      places: [],
    },
  ],
};
const book = { book: { name: "Depot" }, changes: [], trials: [] };

test("the catalogue shows sizes, and how old statistics are in words", async () => {
  serve({ "GET /api/books/1/catalogue": catalogue, "GET /api/books/1": book });
  await show(<CatalogueView />, "/books/$bookId/catalogue", "/books/1/catalogue");
  const rows = (await screen.findAllByRole("row")).slice(1).map((r) => r.textContent);
  expect(rows[0]).toMatch(/^parcel250.0001\.0012\.00stale: 25.000 rows, 10\.0x off$/);
  expect(rows[1]).toMatch(/fresh$/);
  expect(rows[2]).toMatch(/^cabnot counted.*none$/);
  expect(screen.getByText("An index that no statement of the workload uses")).toBeTruthy();
});

test("a table of the catalogue opens with its indexes, columns and triggers, and closes again", async () => {
  serve({ "GET /api/books/1/catalogue": catalogue, "GET /api/books/1": book });
  const { router } = await show(
    <CatalogueView />,
    "/books/$bookId/catalogue",
    "/books/1/catalogue?table=parcel",
  );
  expect(await screen.findByText("depot, note")).toBeTruthy();
  expect(screen.getByText("not used")).toBeTruthy();
  expect(screen.getByText("count_in")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "close" }));
  await waitFor(() => expect(router.state.location.search).toEqual({}));
});

test("a catalogue that nobody has read says what reads it", async () => {
  serve({
    "GET /api/books/1/catalogue": { ...catalogue, trialId: null, tables: [] },
    "GET /api/books/1": book,
  });
  await show(<CatalogueView />, "/books/$bookId/catalogue", "/books/1/catalogue");
  expect(await screen.findByText("Nobody has read the catalogue yet")).toBeTruthy();
});

const pin = {
  id: 3,
  hash: "00",
  statement: "by_depot",
  sql: "SELECT 1 FROM parcel INDEXED BY i",
  trialId: 9,
  pinnedAt: "2026-03-02T10:00:00Z",
  replacedAt: null as string | null,
  warning: "i is not there: the statement fails where it runs as pinned.",
};

test("a pin warns of what it rests on, and is done with when a real fix is there", async () => {
  const asked = serve({
    "GET /api/books/1/pins": [pin, { ...pin, id: 2, replacedAt: "2026-03-03T10:00:00Z", warning: null }],
    "POST /api/books/1/pins/3/replaced": {},
  });
  await show(<Pins book={1} />);
  expect(await screen.findByText(pin.warning)).toBeTruthy();
  expect(screen.getByText(/replaced 2026-03-03/)).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "a real fix is there" }));
  await waitFor(() => expect(asked.some((a) => a.path === "/api/books/1/pins/3/replaced")).toBe(true));
});

test("a book without pins says nothing of them", async () => {
  serve({ "GET /api/books/1/pins": [] });
  const { container } = await show(<Pins book={1} />);
  await waitFor(() => expect(container.textContent).toBe(""));
});

const seen = (
  trialId: number,
  side: string,
  shape: string,
  verdict: string | null,
  standing: boolean | null,
) => ({
  trialId,
  title: "Tidy up",
  at: "2026-03-02T10:00:00Z",
  side,
  case: "1",
  shape,
  text: `PLAN ${shape}`,
  medianMs: 1.25,
  verdict,
  standing,
});

test("plans of a statement are told apart by shape, with the one that stands, and another can be made to", async () => {
  const asked = serve({
    "GET /api/books/1/plans/00": {
      standing: { shape: "a", outline: "PLAN a", note: "", since: "2026-03-01T10:00:00Z" },
      seen: [seen(2, "before", "a", "regressed", true), seen(2, "after", "b", "regressed", false)],
    },
    "POST /api/books/1/plans/00/standing": { shape: "b", outline: "PLAN b", note: "", since: "" },
  });
  await show(<PlanHistory book={1} hash="00" />);
  const rows = (await screen.findAllByRole("row")).slice(1);
  expect(rows.map((r) => r.querySelector("td")?.textContent)).toEqual(["plan 1 stands", "plan 2"]);
  expect(within(rows[0] as HTMLElement).queryByText("regressed")).toBeNull();
  expect(within(rows[1] as HTMLElement).getByText("regressed")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "make it the standing plan" }));
  await waitFor(() =>
    expect(asked.at(-2)?.body ?? asked.at(-1)?.body).toMatchObject({ shape: "b", outline: "PLAN b" }),
  );
});

test("a line offers to accept its plans, to hold the statement to the one before, or to list a pin that was proven", async () => {
  const asked = serve({
    "GET /api/books/1/pins": [],
    "POST /api/books/1/plans/00/standing": {},
    "POST /api/books/1/pins": [pin],
  });
  const shown = await show(
    <PlanMeasures page={linePage({ plans: comparison(), pin: "offered", beforePlanText: "SEARCH" })} />,
  );
  fireEvent.click(await screen.findByRole("button", { name: "make the plan before the standing plan" }));
  await waitFor(() =>
    expect(asked.find((a) => a.method === "POST")?.body).toMatchObject({
      shape: "0123456789abcdef",
      outline: "SEARCH",
    }),
  );
  expect(screen.getByRole("button", { name: "try to hold it to the plan before" })).toBeTruthy();
  shown.unmount();
  await show(<PlanMeasures page={linePage({ plans: comparison(), pin: "proven" })} />);
  fireEvent.click(await screen.findByRole("button", { name: "list this pin as a temporary measure" }));
  await waitFor(() => expect(asked.at(-1)?.path).toBe("/api/books/1/pins"));
});
