// @vitest-environment happy-dom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { useState } from "react";
import { expect, test } from "vitest";
import { comparison, finding, operator } from "../testing/plans";
import { serve, show } from "../testing/show";
import { Compared } from "./Compared";
import type { Choice, Comparison } from "./choice";
import { GlossaryView } from "./GlossaryView";
import { PastedView } from "./PastedView";
import { ShortAccount } from "./PlanAccount";

const sql = "SELECT * FROM parcel WHERE a = 1";

function Whole({ of }: { of: Comparison }) {
  const [choice, choose] = useState<Choice>(null);
  return <Compared comparison={of} sql={{ before: sql, after: sql }} choice={choice} choose={choose} />;
}

test("two plans stand beside each other, differences marked by sign and word, shares and the rest in one column", async () => {
  await show(<Whole of={comparison()} />);
  const table = (await screen.findAllByRole("table"))[0] as HTMLElement;
  const rows = within(table).getAllByRole("row");
  expect(rows.map((r) => r.querySelector("td")?.textContent)).toEqual([
    undefined,
    "\u2260changed",
    "+added",
    "",
  ]);
  expect(within(rows[1] as HTMLElement).getByText(/^250.000$/)).toBeTruthy();
  expect(within(rows[1] as HTMLElement).getAllByText("~25.0").length).toBe(2);
  expect(within(rows[3] as HTMLElement).getAllByText("10.0 %").length).toBe(2);
});

test("a chosen operator is explained, and where the statement asks for it is marked; the text leads back", async () => {
  const { container } = await show(<Whole of={comparison()} />);
  fireEvent.click(await screen.findByRole("button", { name: "SCAN parcel" }));
  expect(screen.getByText(/Looks at every row/)).toBeTruthy();
  const marked = () => [...container.querySelectorAll("[data-operator].bg-chosen")].map((e) => e.textContent);
  expect(marked()).toEqual(["parcel"]);
  // A pointer focuses what it then clicks: both choose, neither takes the choice away.
  const search = screen.getByRole("button", { name: /SEARCH parcel/ });
  fireEvent.focus(search);
  fireEvent.click(search);
  expect(search.getAttribute("aria-pressed")).toBe("true");
  fireEvent.click(container.querySelector("[data-operator]") as HTMLElement);
  expect(screen.getByRole("button", { name: "SCAN parcel" }).getAttribute("aria-pressed")).toBe("true");
});

test("a finding shows its share, its remedy, its operator, and leads to the glossary", async () => {
  await show(<Whole of={comparison()} />);
  const link = await screen.findByRole("link", { name: finding.title });
  expect(link.getAttribute("href")).toBe("/glossary#wholeTableForFewRows");
  expect(screen.getByText("90.0 % of the time")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "show" }));
  expect(screen.getByRole("button", { name: "SCAN parcel" }).getAttribute("aria-pressed")).toBe("true");
});

test("the row flow says where rows multiply, where a condition is missing, and what is left", async () => {
  await show(<Whole of={comparison()} />);
  const flow = within(await screen.findByLabelText("Row flow after"));
  expect(flow.getByText("multiplies")).toBeTruthy();
  expect(flow.getByText("no condition")).toBeTruthy();
  expect(flow.getByText("after DISTINCT")).toBeTruthy();
  expect(flow.getAllByText("50").length).toBeGreaterThan(1);
});

test("one plan alone has no margin; an estimate without counts looks like one", async () => {
  const only = comparison({
    sentence: null,
    after: null,
    rows: [
      {
        as: "kept",
        before: operator(0, "SCAN parcel", { loops: null, rows: null, rowsVisited: null, share: null }),
        after: null,
      },
    ],
    before: {
      shape: "x",
      counted: false,
      restShare: null,
      note: "Only estimates.",
      operators: 1,
      milliseconds: null,
      rowsVisited: null,
      estimatedCost: 12.5,
      findings: [],
      flows: [],
      picture: [],
    },
  });
  await show(<Whole of={only} />);
  const table = await screen.findByRole("table");
  expect(
    within(table)
      .getAllByRole("columnheader")
      .map((h) => h.textContent),
  ).toEqual(["operator", "est. rows"]);
  expect(screen.getByText("~25.0").className).toContain("italic");
  expect(screen.getByText("Only estimates.")).toBeTruthy();
});

test("on half a page an operator that changed shows both its lines", async () => {
  await show(<ShortAccount comparison={comparison()} choice={null} choose={() => {}} />);
  expect(await screen.findByRole("button", { name: "SCAN parcel" })).toBeTruthy();
  expect(screen.getByRole("button", { name: /SEARCH parcel USING INDEX i/ })).toBeTruthy();
});

test("pasted plans are sent, compared, and what is odd about them stands beside them", async () => {
  const asked = serve({
    "GET /api/books": [{ id: 1, name: "Depot", subject: null }],
    "POST /api/plans/compare": {
      plans: comparison(),
      noteBefore: "1 of its 2 lines are no operator.",
      noteAfter: null,
      pictureBefore: [],
      pictureAfter: [],
    },
  });
  await show(<PastedView />);
  const go = (await screen.findByRole("button", { name: "Compare" })) as HTMLButtonElement;
  expect(go.disabled).toBe(true);
  fireEvent.change(screen.getByLabelText(/plan before/), { target: { value: "SCAN a" } });
  fireEvent.click(go);
  expect(await screen.findByRole("heading", { name: "parcel is now read whole." })).toBeTruthy();
  expect(screen.getByText(/1 of its 2 lines are no operator\./)).toBeTruthy();
  expect(asked.at(-1)?.body).toMatchObject({ before: "SCAN a", bookId: null });
});

test("the glossary explains each finding with what people do", async () => {
  serve({
    "GET /api/glossary": [
      {
        kind: "largeOffset",
        title: "A large offset",
        what: "Rows are skipped.",
        why: "It grows.",
        remedies: ["Page by key."],
        example: "SELECT 1",
      },
    ],
    "GET /api/load-glossary": [],
    "GET /api/rules": [
      { id: "work", title: "work", what: "What is counted.", why: "It costs.", unit: null, usual: 0 },
      {
        id: "whole-table",
        title: "tables read whole",
        what: "A scan.",
        why: "It grows.",
        unit: "rows",
        usual: 10000,
        isHouseRule: true,
      },
    ],
  });
  await show(<GlossaryView />);
  expect(await screen.findByText("Page by key.")).toBeTruthy();
  const rule = (await screen.findByRole("heading", { name: "tables read whole" })).closest("article");
  expect(rule?.id).toBe("rule-whole-table");
  expect(rule?.textContent).toContain("As a rule of the house: tables read whole: over 10000 rows");
  expect(screen.getByRole("link", { name: "work" }).getAttribute("href")).toBe("#rule-work");
  expect(screen.getByRole("link", { name: "A large offset" }).getAttribute("href")).toBe("#largeOffset");
});

test("what could not be read is said above, with the text still open below it", async () => {
  serve({
    "GET /api/books": [],
    "POST /api/plans/compare": {
      plans: comparison({ sentence: null, rows: [], before: null, after: null }),
      noteBefore: "The JSON breaks off in line 1.",
      noteAfter: null,
      pictureBefore: [],
      pictureAfter: [],
    },
  });
  const { container } = await show(<PastedView />);
  fireEvent.change(await screen.findByLabelText(/plan before/), { target: { value: "[{" } });
  fireEvent.click(screen.getByRole("button", { name: "Compare" }));
  expect((await screen.findByRole("status")).textContent).toBe("before: The JSON breaks off in line 1.");
  expect(screen.getByRole("heading", { name: "There is no plan before" })).toBeTruthy();
  expect(container.querySelector("details")?.open).toBe(true);
  expect((screen.getByLabelText(/plan before/) as HTMLTextAreaElement).value).toBe("[{");
});

test("a pasted plan is saved in another form", async () => {
  const asked = serve({
    "GET /api/books": [],
    "POST /api/plans/compare": { plans: comparison(), noteBefore: null, noteAfter: null },
    "POST /api/plans/export.svg": {},
  });
  await show(<PastedView />);
  fireEvent.change(await screen.findByLabelText(/plan before/), { target: { value: "SCAN a" } });
  fireEvent.click(screen.getByRole("button", { name: "Compare" }));
  fireEvent.click(await screen.findByRole("button", { name: "SVG (before)" }));
  await waitFor(() =>
    expect(asked.at(-1)).toMatchObject({ path: "/api/plans/export.svg", body: { before: "SCAN a" } }),
  );
  expect(screen.queryByRole("button", { name: "SVG (after)" })).toBeNull();
});
