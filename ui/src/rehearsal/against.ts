import type { Measure, RehearsalResult } from "../api/rehearsals";

/** What is known of all tasks together. */
export const measuresOf = (result: RehearsalResult) => result.measures.filter((m) => m.statement === null);

/** What was sent, in a few words. */
export const sentOf = (result: RehearsalResult) =>
  result.options.parts
    .map((p) => `${p.sessions} ${p.sessions === 1 ? "session" : "sessions"} with ${p.statements.join(", ")}`)
    .join("; ");

/**
 * One change against another, each measured against its own before side: after / before over after / before, with the outer ends of
 * both intervals: it errs at most as often as both together. Undefined where one of them has no interval.
 */
export function against(
  mine: Measure,
  other: Measure,
): { ratio: number; low: number; high: number } | undefined {
  const all = [mine.ratio, mine.low, mine.high, other.ratio, other.low, other.high];
  if (all.some((n) => n === null || !(n > 0))) {
    return undefined;
  }
  const [ratio, low, high, otherRatio, otherLow, otherHigh] = all as [
    number,
    number,
    number,
    number,
    number,
    number,
  ];
  return { ratio: ratio / otherRatio, low: low / otherHigh, high: high / otherLow };
}
