import { startTransition, useEffect, useState } from "react";
import { count, percent, three } from "../format/figures";
import { SideMark } from "../parts/Mark";
import { Rows } from "../parts/Rows";
import { type Choice, type Comparison, marks, type Operator, type Side, same, sidesOf } from "./choice";

type Props = { comparison: Comparison; choice: Choice; choose: (choice: Choice) => void };

const columns: { head: string; title: string; of: (o: Operator) => string; estimate?: boolean }[] = [
  {
    head: "est. rows",
    title: "rows that the planner expected at each start",
    of: (o) => (o.estimatedRows === null ? "" : `~${three(o.estimatedRows)}`),
    estimate: true,
  },
  {
    head: "rows",
    title: "rows handed on at each start",
    of: (o) => (o.rows === null ? "" : three(o.rows)),
  },
  {
    head: "off by",
    title: "estimated against counted rows",
    of: (o) => (o.offBy === null || o.offBy < 1.5 ? "" : `${three(o.offBy)}x`),
  },
  { head: "starts", title: "how often it ran", of: (o) => (o.loops === null ? "" : count(o.loops)) },
  {
    head: "visited",
    title: "rows that it looked at, over all starts",
    of: (o) => (o.rowsVisited === null ? "" : count(o.rowsVisited)),
  },
  {
    head: "share",
    title: "of the time, what it contains left out",
    of: (o) => (o.share === null ? "" : percent(o.share)),
  },
];

const firstRows = 60;

/** The first screenful at once, the rest right behind it: a plan of hundreds of operators is there when it is opened. */
function useGrowing<T>(all: T[]): T[] {
  const [shown, show] = useState(firstRows);
  useEffect(() => {
    if (shown < all.length) {
      const next = setTimeout(() => startTransition(() => show(all.length)), 0);
      return () => clearTimeout(next);
    }
  }, [shown, all.length]);
  return all.slice(0, shown);
}

/** Plans as statements of account: an operator a ruled line, each beside its counterpart, what differs marked in the margin. */
export function PlanAccount({ comparison, choice, choose }: Props) {
  const sides = sidesOf(comparison);
  const counted = (side: Side) => comparison[side]?.counted === true;
  const shown = (side: Side) =>
    columns.filter((c) =>
      c.estimate ? comparison.rows.some((r) => r[side] && c.of(r[side]) !== "") : counted(side),
    );
  const both = sides.length === 2;
  const rows = useGrowing(comparison.rows);
  return (
    <div className="overflow-x-auto">
      <table className="ruled">
        <thead>
          <tr>
            {both && (
              <th scope="col" className="w-4">
                <span className="sr-only">difference</span>
              </th>
            )}
            {sides.map((side) => [
              <th
                key={side}
                scope="col"
                className={`w-1/2 ${side === "after" && both ? "border-l border-rule" : ""}`}
              >
                {both && <SideMark side={side} />}
                {both ? side : "operator"}
              </th>,
              ...shown(side).map((c) => (
                <th key={side + c.head} scope="col" className="num" title={c.title}>
                  {c.head}
                </th>
              )),
            ])}
          </tr>
        </thead>
        <Rows>
          {rows.map((row, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a plan have no other name than their place.
            <tr key={i}>
              {both && (
                <td className="font-semibold" title={marks[row.as]?.word}>
                  <span aria-hidden="true">{marks[row.as]?.sign}</span>
                  <span className="sr-only">{marks[row.as]?.word}</span>
                </td>
              )}
              {sides.map((side) => {
                const o = row[side];
                return [
                  <OperatorCell
                    key={side}
                    operator={o}
                    side={side}
                    strong={row.as !== "kept"}
                    edge={side === "after" && both}
                    choice={choice}
                    choose={choose}
                  />,
                  ...shown(side).map((c) => (
                    <td
                      key={side + c.head}
                      className={`num ${c.estimate ? "text-quiet italic" : ""} ${o && same(choice, side, o.at) ? "bg-chosen" : ""}`}
                    >
                      {o && c.of(o)}
                    </td>
                  )),
                ];
              })}
            </tr>
          ))}
          {sides.some((s) => (comparison[s]?.restShare ?? 0) > 0) && (
            <tr className="total text-quiet">
              {both && <td />}
              {sides.map((side) => [
                <td key={side} className={side === "after" && both ? "border-l border-rule" : ""}>
                  outside all operators: expressions, result rows, what is written
                </td>,
                ...shown(side).map((c) => (
                  <td key={side + c.head} className="num">
                    {c.head === "share" &&
                      comparison[side]?.restShare !== null &&
                      percent(comparison[side]?.restShare ?? 0)}
                  </td>
                )),
              ])}
            </tr>
          )}
        </Rows>
      </table>
    </div>
  );
}

function OperatorCell(p: {
  operator: Operator | null;
  side: Side;
  strong: boolean;
  edge: boolean;
  choice: Choice;
  choose: (choice: Choice) => void;
}) {
  const o = p.operator;
  const edge = p.edge ? "border-l border-rule" : "";
  if (!o) {
    return <td className={edge} />;
  }
  const chosen = same(p.choice, p.side, o.at);
  return (
    <td className={`${edge} ${chosen ? "bg-chosen" : ""}`}>
      <button
        type="button"
        aria-pressed={chosen}
        title={`${o.means} ${o.counted}`.trim()}
        onClick={() => p.choose({ side: p.side, at: o.at })}
        onFocus={() => p.choose({ side: p.side, at: o.at })}
        className={`block w-full cursor-pointer text-left font-mono text-sm leading-[1.35] [overflow-wrap:anywhere] ${p.strong ? "font-medium" : ""}`}
        style={{ paddingLeft: `${Math.min(o.depth, 24) * 14}px` }}
      >
        {o.text}
      </button>
    </td>
  );
}

/** The same for half a page: both sides of an operator in one line, with what was visited and its share. */
export function ShortAccount({ comparison, choice, choose }: Props) {
  const sides = sidesOf(comparison);
  const rows = useGrowing(comparison.rows);
  const numbers: { head: string; of: (o: Operator) => string }[] = [
    {
      head: "visited",
      of: (o) =>
        o.rowsVisited !== null
          ? count(o.rowsVisited)
          : o.estimatedRows !== null
            ? `~${three(o.estimatedRows)}`
            : "",
    },
    { head: "share", of: (o) => (o.share === null ? "" : percent(o.share)) },
  ];
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col" className="w-4">
            <span className="sr-only">difference</span>
          </th>
          <th scope="col">operator</th>
          {numbers.flatMap((n) =>
            sides.map((side) => (
              <th
                key={n.head + side}
                scope="col"
                className={`num ${n.head === "share" ? "roomy" : ""}`}
                title={side}
              >
                <SideMark side={side} />
                {n.head}
                <span className="sr-only"> {side}</span>
              </th>
            )),
          )}
        </tr>
      </thead>
      <Rows>
        {rows.map((row, i) => {
          const one =
            row.as === "kept" ? [(row.before ? "before" : "after") as Side] : sides.filter((s) => row[s]);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a plan have no other name than their place.
            <tr key={i}>
              <td className="font-semibold" title={marks[row.as]?.word}>
                <span aria-hidden="true">{marks[row.as]?.sign}</span>
                <span className="sr-only">{marks[row.as]?.word}</span>
              </td>
              <td className="w-full">
                {one.map((side) => {
                  const o = row[side];
                  return (
                    o && (
                      <button
                        key={side}
                        type="button"
                        title={`${o.means} ${o.counted}`.trim()}
                        aria-pressed={same(choice, side, o.at)}
                        onClick={() => choose(same(choice, side, o.at) ? null : { side, at: o.at })}
                        className={`block w-full cursor-pointer text-left font-mono text-sm leading-[1.35] [overflow-wrap:anywhere] ${same(choice, side, o.at) ? "bg-chosen" : ""}`}
                        style={{ paddingLeft: `${Math.min(o.depth, 12) * 12}px` }}
                      >
                        {row.as !== "kept" && sides.length === 2 && <SideMark side={side} />}
                        {o.text}
                      </button>
                    )
                  );
                })}
              </td>
              {numbers.flatMap((n) =>
                sides.map((side) => {
                  const o = row[side];
                  return (
                    <td key={n.head + side} className={`num ${n.head === "share" ? "roomy" : ""}`}>
                      {o && n.of(o)}
                    </td>
                  );
                }),
              )}
            </tr>
          );
        })}
      </Rows>
    </table>
  );
}
