import type { Schemas } from "../api/client";
import type { Comparison, Operator } from "../plans/choice";

/** An operator made for a test. */
export const operator = (at: number, text: string, over: Partial<Operator> = {}): Operator => ({
  at,
  depth: 0,
  text,
  kind: "scan",
  table: "parcel",
  index: null,
  condition: null,
  estimatedRows: 25,
  rows: 250,
  offBy: 10,
  loops: 1,
  rowsVisited: 250000,
  rowsPassed: 250,
  share: 0.9,
  means: "Looks at every row, in the order in which they lie.",
  counted: "Started 1 time.",
  places: [{ start: 14, length: 6 }],
  ...over,
});

const side = (over: Partial<Schemas["PlanSideView"]> = {}): Schemas["PlanSideView"] => ({
  shape: "0123456789abcdef",
  counted: true,
  restShare: 0.1,
  note: null,
  operators: 2,
  milliseconds: null,
  rowsVisited: null,
  estimatedCost: null,
  findings: [],
  flows: [],
  picture: [],
  ...over,
});

export const finding: Schemas["FindingView"] = {
  kind: "wholeTableForFewRows",
  title: "A table read whole for few rows",
  text: "parcel is read whole: 250,000 rows for the 250 that pass its conditions.",
  operator: 0,
  share: 0.9,
  remedy: "An index.",
  places: [],
};

/** Two plans made for a test: a search that became a scan, and a sort that was added. */
export const comparison = (over: Partial<Comparison> = {}): Comparison => ({
  sentence: "parcel is now read whole.",
  samePlan: false,
  rows: [
    {
      as: "changed",
      before: operator(0, "SEARCH parcel USING INDEX i (a=?)", {
        kind: "search",
        index: "i",
        rowsVisited: 38,
        share: 0.5,
      }),
      after: operator(0, "SCAN parcel"),
    },
    {
      as: "added",
      before: null,
      after: operator(1, "USE TEMP B-TREE FOR ORDER BY", { kind: "sort", estimatedRows: null, share: 0.05 }),
    },
  ],
  before: side(),
  after: side({
    findings: [finding],
    flows: [
      {
        steps: [
          {
            operator: 0,
            table: "depot",
            tableRows: 200,
            rowsIn: 1,
            rowsVisited: 200,
            rowsOut: 50,
            factor: 50,
            withoutCondition: false,
          },
          {
            operator: 1,
            table: "parcel",
            tableRows: 250000,
            rowsIn: 50,
            rowsVisited: 5000,
            rowsOut: 5000,
            factor: 100,
            withoutCondition: true,
          },
        ],
        removes: "DISTINCT",
        result: 50,
      },
    ],
  }),
  ...over,
});
