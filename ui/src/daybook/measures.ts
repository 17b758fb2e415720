import type { Pattern, Point, RankBy } from "../api/daybook";
import { count, percent, three } from "../format/figures";

/** What the timeline can show. */
export type Measure = {
  key: string;
  name: string;
  unit: string;
  of: (p: Point, minutes: number) => number | null;
  /** Whether it needs percentiles, which are dear to read. */
  percentile?: boolean;
};

export const measures: Measure[] = [
  { key: "time", name: "time in the database", unit: "s an hour", of: (p, m) => (p.seconds * 60) / m },
  { key: "calls", name: "calls", unit: "a second", of: (p, m) => p.calls / (m * 60) },
  { key: "p50", name: "median duration", unit: "ms", of: (p) => p.p50Ms, percentile: true },
  { key: "p95", name: "95th percentile", unit: "ms", of: (p) => p.p95Ms, percentile: true },
  { key: "p99", name: "99th percentile", unit: "ms", of: (p) => p.p99Ms, percentile: true },
  { key: "p999", name: "99.9th percentile", unit: "ms", of: (p) => p.p999Ms, percentile: true },
  { key: "read", name: "rows read", unit: "a second", of: (p, m) => perSecond(p.rowsRead, m) },
  { key: "returned", name: "rows returned", unit: "a second", of: (p, m) => perSecond(p.rowsReturned, m) },
  { key: "written", name: "rows written", unit: "a second", of: (p, m) => perSecond(p.rowsWritten, m) },
  { key: "errors", name: "errors", unit: "an hour", of: (p, m) => (p.errors * 60) / m },
];

function perSecond(rows: number | null, minutes: number): number | null {
  return rows === null ? null : rows / (minutes * 60);
}

export const measureOf = (key: string | undefined): Measure =>
  measures.find((m) => m.key === key) ?? (measures[0] as Measure);

/** How a source's line is drawn where they stand apart: told by its strokes, not by a colour. */
export const dashOf = (page: { sources: { id: number }[] }, source: number): string =>
  ["", "7 3", "2 2", "9 3 2 3", "1 4"][page.sources.findIndex((s) => s.id === source) % 5] ?? "";

/** A column of the list that it can be ranked by. */
export type Column = {
  rank: RankBy;
  head: string;
  unit: string;
  of: (p: Pattern) => string;
};

const some = (value: number | null, show: (v: number) => string = three) =>
  value === null ? "" : show(value);

export const columns: Column[] = [
  { rank: "total", head: "total", unit: "s", of: (p) => three(p.seconds) },
  { rank: "calls", head: "calls", unit: "", of: (p) => count(p.calls) },
  { rank: "average", head: "average", unit: "ms", of: (p) => some(p.averageMs) },
  { rank: "p95", head: "p95", unit: "ms", of: (p) => some(p.p95Ms) },
  { rank: "worst", head: "worst", unit: "ms", of: (p) => some(p.worstMs) },
  { rank: "rowsReadPerReturned", head: "read per row", unit: "rows", of: (p) => some(p.rowsReadPerReturned) },
];

/** What else the list can be ranked by, without a column of its own. */
export const otherRanks: { rank: RankBy; name: string; of: (p: Pattern) => string }[] = [
  { rank: "errors", name: "errors", of: (p) => count(p.errors) },
  { rank: "spread", name: "spread (p95 over median)", of: (p) => some(p.spread) },
  { rank: "rowsRead", name: "rows read", of: (p) => some(p.rowsRead, count) },
  { rank: "rowsReturned", name: "rows returned", of: (p) => some(p.rowsReturned, count) },
];

export const shareOf = (p: Pattern): string => percent(p.share);

/** The hash that stands for everything that is not kept apart. */
export const everythingElse = "0000000000000000";
