import type { Schemas } from "../api/client";
import { SideMark } from "../parts/Mark";

const marks: Record<string, { sign: string; word: string; ink: string }> = {
  kept: { sign: "", word: "kept", ink: "text-quiet" },
  changed: { sign: "\u2260", word: "changed", ink: "" },
  added: { sign: "+", word: "added", ink: "" },
  removed: { sign: "\u2212", word: "removed", ink: "" },
};

/** Both plans as ruled lines, each operator beside its counterpart, with a mark in the margin where they differ. */
export function PlanPair({ rows, sentence }: { rows: Schemas["AlignedView"][]; sentence: string | null }) {
  if (rows.length === 0) {
    return (
      <p className="text-quiet">
        There is no plan to show: this kind of statement has none, or it could not be prepared.
      </p>
    );
  }
  const cell = (text: string | null, depth: number | null) =>
    text !== null && <span style={{ paddingLeft: `${(depth ?? 0) * 12}px` }}>{text}</span>;
  return (
    <>
      {sentence && <p className="mb-1">{sentence}</p>}
      <table className="ruled table-fixed">
        <thead>
          <tr>
            <th scope="col" className="w-20">
              difference
            </th>
            <th scope="col">
              <SideMark side="before" />
              before
            </th>
            <th scope="col">
              <SideMark side="after" />
              after
            </th>
          </tr>
        </thead>
        <tbody className="font-mono text-[13px]">
          {rows.map((row, i) => {
            const mark = marks[row.as];
            return (
              // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a plan have no other name than their place.
              <tr key={i} className={`align-top ${mark?.ink ?? ""}`}>
                <td className="whitespace-nowrap font-sans font-semibold">
                  {mark?.sign} {row.as === "kept" ? <span className="sr-only">kept</span> : mark?.word}
                </td>
                <td className="break-words">{cell(row.before, row.beforeDepth)}</td>
                <td className="break-words">{cell(row.after, row.afterDepth)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
