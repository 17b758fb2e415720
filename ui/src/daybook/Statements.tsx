import { useMemo, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { useCapturedFindings } from "../api/costs";
import type { Narrowing, RankBy } from "../api/daybook";
import { useSearchKey } from "../parts/keys";
import { Wrong } from "../parts/Notice";
import { Narrow } from "./Narrow";
import { PatternTable } from "./PatternTable";
import { StatementsFoot } from "./StatementsFoot";

type Props = {
  book: number;
  narrowing: Narrowing;
  rank: RankBy;
  patterns?: Schemas["PatternsPage"];
  failure?: Error | null;
  set: (part: Partial<Narrowing> & { rank?: RankBy }) => void;
  more: () => void;
};

/** The patterns of the chosen span: narrowed, ranked, and some of them picked. */
export function Statements({ book, narrowing, rank, patterns, failure = null, set, more }: Props) {
  const [picked, setPicked] = useState<Set<string>>(new Set());
  const search = useRef<HTMLInputElement>(null);
  useSearchKey(search);
  const pick = (hash: string) =>
    setPicked((old) => {
      const next = new Set(old);
      next.has(hash) ? next.delete(hash) : next.add(hash);
      return next;
    });
  const findings = useCapturedFindings(book, narrowing).data;
  const found = useMemo(() => titlesOf(findings ?? []), [findings]);
  const rankBy = (r: RankBy) => set({ rank: r === "total" ? undefined : r });
  return (
    <section aria-label="Statements" className="flex h-full flex-col">
      <Narrow
        narrowing={narrowing}
        patterns={patterns}
        rank={rank}
        rankBy={rankBy}
        set={set}
        search={search}
      />
      {failure && (
        <div className="px-5">
          <Wrong error={failure} />
        </div>
      )}
      {patterns && patterns.patterns.length === 0 ? (
        <p className="px-5 py-3 text-quiet">No statement fits.</p>
      ) : (
        <PatternTable
          book={book}
          patterns={patterns?.patterns ?? []}
          rank={rank}
          rankBy={rankBy}
          picked={picked}
          pick={pick}
          found={found}
          matching={patterns?.matching ?? 0}
          more={more}
        />
      )}
      {patterns && (
        <StatementsFoot
          book={book}
          narrowing={narrowing}
          patterns={patterns}
          picked={picked}
          clear={() => setPicked(new Set())}
          set={set}
        />
      )}
    </section>
  );
}

/** What was found, by statement. */
function titlesOf(findings: Schemas["CapturedFindingView"][]): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const f of findings) {
    found.set(f.hash, [...(found.get(f.hash) ?? []), f.finding.title]);
  }
  return found;
}
