/**
 * A verdict as a beam on a pivot, the after side at its right end: it sinks when dearer, rises when cheaper, lies still
 * when level, is drawn in dashes when unsettled and broken when failed. The word stands beside it.
 */
const beams: Record<string, { ink: string; word: string; beam: string; dash?: string }> = {
  regressed: { ink: "text-dearer", word: "regressed", beam: "M1 2.5 15 9.5" },
  improved: { ink: "text-cheaper", word: "improved", beam: "M1 9.5 15 2.5" },
  level: { ink: "text-level", word: "level", beam: "M1 6 15 6" },
  unsettled: { ink: "text-unsettled", word: "unsettled", beam: "M1 6 15 6", dash: "2.6 2.2" },
  failed: { ink: "text-failed", word: "failed", beam: "M1 9.5 6.5 5 M9.5 5 15 9.5" },
};

export const verdictOrder = ["regressed", "failed", "unsettled", "improved", "level"];

export function inkOf(verdict: string | null | undefined): string {
  return beams[verdict ?? ""]?.ink ?? "text-quiet";
}

/** The beam of a verdict's mark, to be drawn elsewhere; undefined where there is no verdict. */
export const beamOf = (verdict: string | null): { beam: string; dash?: string } | undefined =>
  beams[verdict ?? ""];

export function Beam({ verdict }: { verdict: string }) {
  const mark = beams[verdict];
  if (!mark) {
    return null;
  }
  return (
    <svg
      width="16"
      height="13"
      viewBox="0 0 16 13"
      aria-hidden="true"
      className="mr-1.5 inline-block align-[-1px]"
    >
      <path d={mark.beam} stroke="currentColor" strokeWidth="2.2" fill="none" strokeDasharray={mark.dash} />
      <path d="M8 7 10.4 12.6 5.6 12.6Z" fill="currentColor" />
    </svg>
  );
}

export function VerdictMark({ verdict, basis }: { verdict: string; basis?: string | null }) {
  return (
    <span className={`whitespace-nowrap font-semibold ${inkOf(verdict)}`}>
      <Beam verdict={verdict} />
      {beams[verdict]?.word ?? verdict}
      {basis === "work" && <span className="font-normal text-sm"> by work</span>}
    </span>
  );
}

/** Hollow is before, solid is after. */
export function SideMark({ side }: { side: "before" | "after" }) {
  return (
    <svg width="10" height="10" viewBox="0 0 10 10" aria-hidden="true" className="mr-1 inline-block">
      <circle
        cx="5"
        cy="5"
        r="3.6"
        fill={side === "before" ? "none" : "currentColor"}
        stroke="currentColor"
        strokeWidth="1.5"
      />
    </svg>
  );
}

/** The heads of two columns of numbers, one for each side. */
export function SideHeads() {
  return (
    <>
      <th scope="col" className="num">
        <SideMark side="before" />
        before
      </th>
      <th scope="col" className="num">
        <SideMark side="after" />
        after
      </th>
    </>
  );
}
