import type { Schemas } from "../api/client";
import { count, three } from "../format/figures";
import { type Choice, type Side, same } from "./choice";

const width = 180;
const height = 22;
const mostFlows = 12;

/** The most rows that any step of some flows handles: flows that stand side by side are drawn on the scale of all of them. */
export const mostRows = (flows: Schemas["FlowView"][]) =>
  Math.max(
    10,
    ...flows.flatMap((f) => f.steps.map((s) => Math.max(s.rowsIn ?? 0, s.rowsVisited ?? 0, s.rowsOut ?? 0))),
  );

/** How many rows go into each table of a join, are looked at, and come out: wide where rows multiply, on a scale of powers of ten. */
export function RowFlow({
  flows,
  most,
  side,
  choice,
  choose,
}: {
  flows: Schemas["FlowView"][];
  /** Rows that take the whole width. */
  most: number;
  side: Side;
  choice: Choice;
  choose: (choice: Choice) => void;
}) {
  const wide = (rows: number) => Math.max(1, (Math.log10(rows + 1) / Math.log10(most + 1)) * width);
  const looked = (f: Schemas["FlowView"]) => Math.max(...f.steps.map((s) => s.rowsVisited ?? 0));
  const shown =
    flows.length > mostFlows ? [...flows].sort((a, b) => looked(b) - looked(a)).slice(0, mostFlows) : flows;
  return (
    <table className="ruled w-auto!">
      {shown.length < flows.length && (
        <caption className="text-left text-sm text-quiet">
          the {mostFlows} of {flows.length} queries that look at the most rows
        </caption>
      )}
      <thead>
        <tr>
          <th scope="col">table</th>
          <th scope="col" className="num">
            holds
          </th>
          <th scope="col" className="num">
            comes in
          </th>
          <th scope="col" className="num">
            visited
          </th>
          <th scope="col" className="num">
            comes out
          </th>
          <th scope="col" style={{ width }}>
            flow
          </th>
          <th scope="col">each in gives</th>
        </tr>
      </thead>
      {shown.map((flow, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: flows have no other name than their place.
        <tbody key={i}>
          {flow.steps.map((s, at) => {
            const from = wide(s.rowsIn ?? 0);
            const seen = wide(s.rowsVisited ?? 0);
            const to = wide(s.rowsOut ?? s.rowsVisited ?? 0);
            const middle = width / 2;
            return (
              <tr key={s.operator} className={same(choice, side, s.operator) ? "bg-chosen" : ""}>
                <td>
                  <button type="button" className="link" onClick={() => choose({ side, at: s.operator })}>
                    {s.table}
                  </button>
                </td>
                <td className="num">{s.tableRows !== null && count(s.tableRows)}</td>
                <td className="num">{s.rowsIn !== null && count(s.rowsIn)}</td>
                <td className="num">{s.rowsVisited !== null && count(s.rowsVisited)}</td>
                <td className="num">{s.rowsOut !== null && count(s.rowsOut)}</td>
                <td className="p-0! align-middle!">
                  <svg
                    width={width}
                    height={height}
                    aria-hidden="true"
                    className="block"
                    viewBox={`0 0 ${width} ${height}`}
                  >
                    <path
                      d={`M${middle - from / 2} 0 L${middle - seen / 2} ${height / 2} L${middle - to / 2} ${height} H${middle + to / 2} L${middle + seen / 2} ${height / 2} L${middle + from / 2} 0Z`}
                      fill={side === "after" ? "var(--color-strong)" : "none"}
                      stroke="var(--color-strong)"
                    />
                  </svg>
                </td>
                <td className="whitespace-nowrap">
                  {at > 0 && s.factor !== null && <>{three(s.factor)} rows</>}
                  {at > 0 && s.factor !== null && s.factor >= 2 && (s.rowsOut ?? 0) >= 100 && (
                    <strong className="text-dearer"> multiplies</strong>
                  )}
                  {s.withoutCondition && <strong className="text-dearer"> no condition</strong>}
                </td>
              </tr>
            );
          })}
          {flow.result !== null && (
            <tr className="total">
              <td colSpan={4}>{flow.removes ? `after ${flow.removes}` : "returned"}</td>
              <td className="num">{count(flow.result)}</td>
              <td colSpan={2} />
            </tr>
          )}
        </tbody>
      ))}
    </table>
  );
}
