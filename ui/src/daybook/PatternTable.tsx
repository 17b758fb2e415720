import { Link } from "@tanstack/react-router";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Pattern, RankBy } from "../api/daybook";
import { moveAlong } from "../parts/keys";
import { useOneStop } from "../parts/oneStop";
import { columns, everythingElse, otherRanks, shareOf } from "./measures";
import { SmallCourse } from "./SmallCourse";

type Props = {
  book: number;
  patterns: Pattern[];
  rank: RankBy;
  rankBy: (rank: RankBy) => void;
  picked: Set<string>;
  pick: (hash: string) => void;
  /** Titles of what captured plans show, by pattern. */
  found: Map<string, string[]>;
  /** How many there are in all; more of them are fetched as the end of those here comes near. */
  matching: number;
  more: () => void;
};

const rowHeight = 42;
const grid = "grid grid-cols-[1.2rem_minmax(9rem,1fr)_5.2rem_repeat(6,3.75rem)] items-baseline gap-x-1.5";

/** Patterns by what they cost, greatest first; only the rows in view are drawn. */
export function PatternTable(p: Props) {
  const body = useRef<HTMLDivElement>(null);
  useOneStop(body, "[role=row]", false);
  const rows = useVirtualizer({
    count: p.patterns.length,
    getScrollElement: () => body.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const lastDrawn = rows.getVirtualItems().at(-1)?.index ?? 0;
  const { length } = p.patterns;
  const { more } = p;
  const wantsMore = length < p.matching && lastDrawn > length - 30;
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked for once for each length
  useEffect(() => {
    if (wantsMore) {
      more();
    }
  }, [wantsMore, length]);
  const other = otherRanks.find((o) => o.rank === p.rank);
  const go = (to: number) => {
    rows.scrollToIndex(to);
    requestAnimationFrame(() => document.getElementById(`pattern-${p.patterns[to]?.hash}`)?.focus());
  };
  const at = () => {
    const row = document.activeElement?.closest("[role=row]")?.getAttribute("aria-rowindex");
    return row ? Number(row) - 1 : -1;
  };
  return (
    <div
      role="table"
      aria-label="Statements"
      aria-rowcount={p.matching}
      className="flex min-h-0 flex-1 flex-col"
    >
      <div
        role="row"
        className={`${grid} shrink-0 border-b border-ink pr-5 pl-5 text-sm font-semibold text-quiet`}
      >
        <span role="columnheader">
          <span className="sr-only">chosen</span>
        </span>
        <span role="columnheader">statement{other && `, by ${other.name}`}</span>
        <span role="columnheader">course</span>
        {columns.map((c) => (
          <span
            key={c.rank}
            role="columnheader"
            aria-sort={c.rank === p.rank ? "descending" : "none"}
            className="text-right"
          >
            <button
              type="button"
              className={`cursor-pointer leading-tight ${c.rank === p.rank ? "text-ink underline decoration-2 underline-offset-4" : ""}`}
              onClick={() => p.rankBy(c.rank)}
            >
              {c.head}
              {c.unit && <span className="font-normal">, {c.unit}</span>}
            </button>
          </span>
        ))}
      </div>
      <div
        ref={body}
        className="min-h-0 flex-1 overflow-y-auto pl-5"
        role="rowgroup"
        onKeyDown={(e) => moveAlong(e, p.patterns.length, at(), go)}
      >
        <div className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const q = p.patterns[item.index];
            return q ? (
              <Row key={q.hash} {...p} pattern={q} top={item.start} index={item.index} extra={other?.of(q)} />
            ) : null;
          })}
        </div>
      </div>
    </div>
  );
}

function Row(p: Props & { pattern: Pattern; top: number; index: number; extra?: string }) {
  const q = p.pattern;
  const else_ = q.hash === everythingElse;
  const found = p.found.get(q.hash);
  return (
    <div
      role="row"
      aria-rowindex={p.index + 1}
      className={`${grid} absolute inset-x-0 border-b border-rule pr-5 ${p.picked.has(q.hash) ? "bg-chosen" : ""}`}
      style={{ top: p.top, height: rowHeight }}
    >
      <span role="cell">
        {!else_ && (
          <input
            type="checkbox"
            aria-label={`Choose: ${q.text.slice(0, 80)}`}
            checked={p.picked.has(q.hash)}
            onChange={() => p.pick(q.hash)}
          />
        )}
      </span>
      <span role="cell" className="min-w-0 self-center leading-[1.3]">
        {else_ ? (
          <span className="text-quiet">everything else: patterns that are not kept apart</span>
        ) : (
          <Link
            id={`pattern-${q.hash}`}
            to="/books/$bookId/statements/$hash"
            params={{ bookId: String(p.book), hash: q.hash }}
            className="line-clamp-2 font-mono text-xs hover:underline"
            title={q.text}
          >
            {q.keptAtTop && <span className="font-sans text-quiet">kept at the top: </span>}
            {found && (
              <span className="font-sans font-semibold text-unsettled" title={found.join(", ")}>
                {found.length === 1 ? "finding" : `${found.length} findings`}:{" "}
              </span>
            )}
            {q.text}
          </Link>
        )}
        {(p.extra || q.errors > 0) && <span className="sr-only">{p.extra}</span>}
      </span>
      <span role="cell" className="self-center">
        <SmallCourse values={q.course} />
      </span>
      {columns.map((c) => (
        <span
          key={c.rank}
          role="cell"
          className={`text-right ${c.rank === "worst" && q.slow ? "font-bold text-dearer" : ""}`}
        >
          {c.of(q)}
          {c.rank === "total" && <span className="block text-xs leading-tight text-quiet">{shareOf(q)}</span>}
          {c.rank === "calls" && p.extra !== undefined && (
            <span className="block text-xs leading-tight text-quiet">{p.extra}</span>
          )}
          {c.rank === "calls" && p.extra === undefined && q.errors > 0 && (
            <span className="block text-xs leading-tight text-failed">{q.errors} failed</span>
          )}
        </span>
      ))}
    </div>
  );
}
