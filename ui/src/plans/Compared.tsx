import { startTransition, useEffect, useMemo, useState } from "react";
import { count, duration, three } from "../format/figures";
import { SideMark } from "../parts/Mark";
import { Sql } from "../parts/Sql";
import { type Choice, type Comparison, operatorOf, type Side, sidesOf } from "./choice";
import { mostOf } from "./confluence";
import { Findings } from "./Findings";
import { Picture } from "./Picture";
import { PlanAccount } from "./PlanAccount";
import { mostRows, RowFlow } from "./RowFlow";

type Props = {
  comparison: Comparison;
  sql: { before: string; after: string };
  choice: Choice;
  choose: (choice: Choice) => void;
};

/** False for the first frame: what stands below the screen's edge is drawn behind what the page was opened for. */
function useLater(): boolean {
  const [later, show] = useState(false);
  useEffect(() => {
    const next = setTimeout(() => startTransition(() => show(true)), 0);
    return () => clearTimeout(next);
  }, []);
  return later;
}

/** Two plans in full: the account, what the chosen operator does, findings, row flow, and the statement that it comes from. */
export function Compared({ comparison, sql, choice, choose }: Props) {
  const later = useLater();
  const sides = sidesOf(comparison);
  const chosen = operatorOf(comparison, choice);
  return (
    <>
      <Totals comparison={comparison} />
      <PlanAccount comparison={comparison} choice={choice} choose={choose} />
      <p className="mt-1 min-h-[2.8em] border-l-2 border-rule pl-2 text-sm" aria-live="polite">
        {chosen ? (
          <>
            <strong>{chosen.table ?? chosen.kind}</strong>: {chosen.means} {chosen.counted}
          </>
        ) : (
          <span className="text-quiet">
            Choose an operator to see what it does, and where the statement asks for it.
          </span>
        )}
      </p>
      {sides.map(
        (side) =>
          comparison[side]?.note && (
            <p key={side} className="border-l-2 border-unsettled pl-2 text-sm">
              {sides.length === 2 && `${side}: `}
              {comparison[side]?.note}
            </p>
          ),
      )}
      {later && <Below comparison={comparison} sql={sql} choice={choice} choose={choose} />}
    </>
  );
}

/** What each plan comes to as a whole, and how much of them is one and the same. */
function Totals({ comparison }: { comparison: Comparison }) {
  const sides = sidesOf(comparison);
  const kept = comparison.rows.filter((r) => r.as === "kept").length;
  return (
    <p className="mb-1 flex flex-wrap gap-x-6 text-sm">
      {sides.map((side) => {
        const p = comparison[side];
        return (
          p && (
            <span key={side}>
              <SideMark side={side} />
              {sides.length === 2 && `${side}: `}
              {[
                p.milliseconds !== null &&
                  `${duration(p.milliseconds)} in all${p.counted ? ", counted" : ""}`,
                p.rowsVisited !== null && `${count(p.rowsVisited)} rows visited`,
                p.estimatedCost !== null && `estimated cost ${three(p.estimatedCost)}`,
                `${count(p.operators)} ${p.operators === 1 ? "operator" : "operators"}`,
              ]
                .filter((t) => t)
                .join(", ")}
            </span>
          )
        );
      })}
      {sides.length === 2 && (
        <span className="text-quiet">{kept === 0 ? "nothing in common" : `${count(kept)} in common`}</span>
      )}
    </p>
  );
}

/** Findings, row flow and the statement. */
function Below({ comparison, sql, choice, choose }: Props) {
  const sides = sidesOf(comparison);
  const places = useMemo(
    () => ({ before: marksOf(comparison, "before"), after: marksOf(comparison, "after") }),
    [comparison],
  );
  const most = mostRows(sides.flatMap((s) => comparison[s]?.flows ?? []));
  const drawn = mostOf(sides.flatMap((s) => comparison[s]?.picture ?? []));
  const oneText = sql.before === sql.after;
  const texts: Side[] = oneText ? [sides.includes("after") ? "after" : "before"] : sides;
  return (
    <>
      <div className={sides.length === 2 ? "grid grid-cols-2 gap-6" : ""}>
        {sides.map((side) => (
          <section key={side} aria-label={`Findings ${side}`}>
            <h2 className="section">
              {sides.length === 2 && <SideMark side={side} />}
              What costs more than it need{sides.length === 2 && `, ${side}`}
            </h2>
            <Findings
              findings={comparison[side]?.findings ?? []}
              side={side}
              choose={choose}
              none={
                comparison[side]?.counted
                  ? "Nothing stands out."
                  : "Nothing stands out in the plan alone; nothing was counted."
              }
            />
          </section>
        ))}
      </div>
      {sides.some((s) => (comparison[s]?.flows.length ?? 0) > 0) && (
        <div className="flex flex-wrap gap-x-8">
          {sides.map(
            (side) =>
              (comparison[side]?.flows.length ?? 0) > 0 && (
                <section key={side} aria-label={`Row flow ${side}`} className="min-w-0">
                  <h2 className="section">
                    {sides.length === 2 && <SideMark side={side} />}
                    Row flow{sides.length === 2 && `, ${side}`}
                  </h2>
                  <RowFlow
                    flows={comparison[side]?.flows ?? []}
                    most={most}
                    side={side}
                    choice={choice}
                    choose={choose}
                  />
                </section>
              ),
          )}
        </div>
      )}
      {sides.some((s) => (comparison[s]?.picture.length ?? 0) > 0) && (
        <div className={sides.length === 2 ? "grid grid-cols-2 gap-6" : ""}>
          {sides.map(
            (side) =>
              (comparison[side]?.picture.length ?? 0) > 0 && (
                <section key={side} aria-label={`Picture ${side}`} className="min-w-0 overflow-x-auto">
                  <h2 className="section">
                    {sides.length === 2 && <SideMark side={side} />}
                    The statement as a picture{sides.length === 2 && `, ${side}`}
                  </h2>
                  <Picture
                    blocks={comparison[side]?.picture ?? []}
                    sql={sql[side]}
                    side={side}
                    most={drawn}
                    choose={choose}
                  />
                </section>
              ),
          )}
        </div>
      )}
      <div className={texts.length === 2 ? "grid grid-cols-2 gap-6" : ""}>
        {texts.map(
          (side) =>
            sql[side].trim() !== "" && (
              <section key={side} aria-label={`SQL ${side}`} className="min-w-0">
                <h2 className="section">
                  {texts.length === 2 && <SideMark side={side} />}
                  SQL{texts.length === 2 && `, ${side}`}
                </h2>
                <Sql
                  text={sql[side]}
                  label={`SQL ${side}`}
                  marks={places[side]}
                  chosen={choice && (oneText || choice.side === side) ? choice.at : null}
                  choose={(at) => choose({ side, at })}
                />
              </section>
            ),
        )}
      </div>
    </>
  );
}

/** Where the statement speaks of each operator. */
export const marksOf = (comparison: Comparison, side: Side) =>
  comparison.rows.flatMap((r) => {
    const o = r[side];
    return o ? o.places.map((p) => ({ start: p.start, end: p.start + p.length, at: o.at })) : [];
  });
