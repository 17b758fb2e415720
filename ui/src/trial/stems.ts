import type { LineView, TrialPageView } from "../api/client";

/** One line on the strip: where it stands, and how high. */
export type Stem = {
  line: number;
  name: string;
  /** After / before. */
  ratio: number;
  /** Of the larger side's bill, from 0 to 1; 0 where the bill leaves it out. */
  share: number;
  verdict: string | null;
};

/** The measured ratio; of a line that work decided without any block, the ratio of work. Null where neither is known. */
export function changeOf(line: LineView): number | null {
  const r = line.result;
  if (r.time) {
    return r.time.ratio;
  }
  return (r.verdict === "regressed" || r.verdict === "improved") && r.work && r.work.before > 0
    ? r.work.after / r.work.before
    : null;
}

/** The lines that have a change, in its order: the cheaper first. */
export function stemsOf(page: Pick<TrialPageView, "lines" | "bill">): Stem[] {
  const whole = Math.max(page.bill.beforeSecondsPerDay, page.bill.afterSecondsPerDay);
  const shares = new Map(
    page.bill.items.map((i) => [i.line, Math.max(i.seconds.before, i.seconds.after) / whole]),
  );
  return page.lines
    .flatMap((l) => {
      const ratio = changeOf(l);
      const r = l.result;
      return ratio === null || !(ratio > 0)
        ? []
        : [
            {
              line: r.number,
              name: `${r.statement} ${r.case}`,
              ratio,
              share: shares.get(r.number) ?? 0,
              verdict: r.verdict,
            },
          ];
    })
    .sort((a, b) => a.ratio - b.ratio || a.line - b.line);
}

const reaches = [1.5, 2, 5, 10, 30, 100, 300, 1_000, 3_000, 10_000];

/** How far the axis goes to each side: a round number that holds all stems, or the largest. */
export function reachOf(stems: Stem[]): number {
  const most = Math.max(1, ...stems.map((s) => Math.max(s.ratio, 1 / s.ratio)));
  return reaches.find((r) => r >= most) ?? 10_000;
}

/** Round places on the axis, level in the middle. */
export function ticksOf(reach: number): number[] {
  const steps =
    reach <= 2 ? [reach] : reach <= 10 ? [2, reach] : [10, reach].filter((t, i, all) => all.indexOf(t) === i);
  return [...steps.map((s) => 1 / s).reverse(), 1, ...steps];
}

/** A span of the axis, ends included. */
export type Span = { from: number; to: number };

export const within = (span: Span | undefined, ratio: number | null): boolean =>
  span === undefined || (ratio !== null && ratio >= span.from && ratio <= span.to);
