import type { LineView } from "../api/client";
import { verdictOrder } from "../parts/Mark";
import { changeOf, type Span, within } from "./stems";

export const sortKeys = ["verdict", "statement", "before", "after", "change"] as const;
export type SortKey = (typeof sortKeys)[number];
export type Sort = { key: SortKey; down: boolean };

/** What of a trial's lines is shown, and how: all of it stands in the address. */
export type LinesView = {
  show?: string;
  find?: string;
  sort?: SortKey;
  down?: boolean;
  from?: number;
  to?: number;
};

/** The lines that pass the filters, sorted; ties keep the workload's order. */
export function rowsOf(
  lines: LineView[],
  sort: Sort | null,
  verdicts: Set<string>,
  text: string,
  span?: Span,
): LineView[] {
  const wanted = text.trim().toLowerCase();
  const shown = lines.filter(
    (l) =>
      (verdicts.size === 0 || verdicts.has(l.result.verdict ?? "open")) &&
      within(span, changeOf(l)) &&
      (wanted === "" || `${l.result.statement} ${l.result.binds}`.toLowerCase().includes(wanted)),
  );
  if (!sort) {
    return shown;
  }
  const sign = sort.down ? -1 : 1;
  return [...shown].sort((a, b) => sign * compare(a, b, sort.key) || a.result.number - b.result.number);
}

function compare(a: LineView, b: LineView, key: SortKey): number {
  switch (key) {
    case "statement":
      return a.result.statement.localeCompare(b.result.statement);
    case "verdict":
      return rank(a.result.verdict) - rank(b.result.verdict);
    default:
      return (
        (measureOf(a, key) ?? Number.POSITIVE_INFINITY) - (measureOf(b, key) ?? Number.POSITIVE_INFINITY) || 0
      );
  }
}

function rank(verdict: string | null): number {
  const at = verdictOrder.indexOf(verdict ?? "");
  return at < 0 ? verdictOrder.length : at;
}

function measureOf(line: LineView, key: SortKey): number | undefined {
  const r = line.result;
  return key === "before"
    ? r.time?.beforeMs
    : key === "after"
      ? r.time?.afterMs
      : (changeOf(line) ?? undefined);
}

/** How many lines have each verdict; lines without one count as "open". */
export function countsOf(lines: LineView[]): Map<string, number> {
  const counts = new Map<string, number>();
  for (const line of lines) {
    const key = line.result.verdict ?? "open";
    counts.set(key, (counts.get(key) ?? 0) + 1);
  }
  return counts;
}
