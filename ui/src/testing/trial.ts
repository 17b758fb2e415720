import type { LineView, Result, Schemas, TrialPageView } from "../api/client";

/** A line made for a test: settled, level, unless told otherwise. */
export function line(number: number, over: Partial<Result> = {}, state = "ended"): LineView {
  const side = {
    medianMs: 2,
    p95Ms: 3,
    meanMs: 2.1,
    cpuMs: 2,
    coldMs: 5,
    rows: 7,
    counters: { vmSteps: 90 },
    plan: null,
  };
  return {
    state,
    leavesStanding: false,
    result: {
      number,
      statement: `statement_${number}`,
      pattern: "00",
      case: "1",
      binds: `hut=${number}`,
      verdict: "level",
      basis: "time",
      time: {
        ratio: 1.001,
        low: 0.99,
        high: 1.02,
        confidence: 0.999,
        blocks: 20,
        meanRatio: 1,
        p95Ratio: 1,
        blocksLeftOut: 0,
        confirmed: null,
      },
      work: null,
      before: side,
      after: side,
      rewritten: false,
      planChanged: false,
      sameRows: true,
      sameOrder: true,
      callsPerDay: 100,
      tolerancePercent: 5,
      message: null,
      notices: [],
      ...over,
    },
  };
}

/** A trial made for a test. */
export function trial(
  over: Partial<TrialPageView> = {},
  summary: Partial<Schemas["TrialSummary"]> = {},
): TrialPageView {
  return {
    trial: {
      id: 4,
      bookId: 1,
      changeId: 2,
      title: "Index",
      state: "finished",
      createdAt: "2026-07-18T09:00:00Z",
      startedAt: "2026-07-18T09:00:01Z",
      finishedAt: "2026-07-18T09:01:00Z",
      headline: null,
      message: null,
      ahead: 0,
      ...summary,
    },
    bookName: "Depot",
    subject: "/data/depot.db",
    settings: {
      mostGigabytes: 50,
      expendable: null,
      trustSql: false,
      mostMegabytes: 700,
      tolerancePercent: 5,
      statementSeconds: 30,
      quick: false,
      noiseCheck: false,
      seed: 1,
    },
    workload: "",
    change: "CREATE INDEX i ON parcel(depot)",
    stage: null,
    lines: [
      line(1),
      line(2, { verdict: "regressed", time: { ...time, ratio: 3, low: 2.8, high: 3.2 } }),
      line(3, { verdict: "improved" }),
    ],
    bill: {
      beforeSecondsPerDay: 41.2,
      afterSecondsPerDay: 12.9,
      beforeInterval: [40, 42],
      afterInterval: [12, 13],
      beforePagesPerDay: 9000,
      afterPagesPerDay: 30,
      beforeRowsPerDay: 5,
      afterRowsPerDay: 5,
      items: Array.from({ length: 10 }, (_, i) => ({
        line: i + 1,
        statement: `statement_${i + 1}`,
        case: "1",
        callsPerDay: 100,
        seconds: { before: 4, after: 1 },
        shareOfChange: i === 0 ? -28.3 : 0,
      })),
      leftOut: [],
    },
    headline: null,
    applied: [],
    environment: null,
    problems: [],
    ...over,
  };
}

const time = {
  ratio: 1,
  low: 1,
  high: 1,
  confidence: 0.999,
  blocks: 20,
  meanRatio: 1,
  p95Ratio: 1,
  blocksLeftOut: 0,
  confirmed: null,
};

/** A line's page made for a test. */
export const linePage = (over: Partial<Schemas["LinePage"]> = {}): Schemas["LinePage"] => ({
  trial: trial().trial,
  line: line(2, {
    verdict: "regressed",
    message: "Confirmed in a second session on fresh copies.",
    notices: ["Time and work disagree."],
  }),
  beforeSql: "SELECT 1",
  afterSql: "SELECT 1",
  beforeBinds: "hut=2",
  afterBinds: "hut=2",
  bandLow: 0.952,
  bandHigh: 1.05,
  blocks: [],
  confirmingBlocks: [],
  plans: null,
  standing: null,
  leavesStanding: null,
  pin: null,
  beforePlanText: "",
  afterPlanText: "",
  confirmation: null,
  ...over,
});
