import type { RehearsalResult } from "../api/rehearsals";
import { percent } from "../format/figures";
import { SideHeads } from "../parts/Mark";

const least = 0.005;

/** Where the sessions' time went, on both sides. */
export function Waits({ result }: { result: RehearsalResult }) {
  const share = (side: "before" | "after", kind: string) =>
    result[side]?.waits.find((w) => w.kind === kind)?.share ?? 0;
  const kinds = [
    ...new Set([...(result.before?.waits ?? []), ...(result.after?.waits ?? [])].map((w) => w.kind)),
  ]
    .map((kind) => ({ kind, before: share("before", kind), after: share("after", kind) }))
    .filter((k) => Math.max(k.before, k.after) >= least)
    .sort((a, b) => Math.max(b.before, b.after) - Math.max(a.before, a.after));
  if (kinds.length === 0) {
    return null;
  }
  return (
    <section aria-label="Where the time went" className="mt-4">
      <h3 className="section">Where the sessions' time went</h3>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">sessions were</th>
            <SideHeads />
            <th scope="col">
              <span className="sr-only">shares as bars</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {kinds.map((k) => (
            <tr key={k.kind}>
              <td>{k.kind}</td>
              <td className="num">{result.before ? percent(k.before) : ""}</td>
              <td className="num">{result.after ? percent(k.after) : ""}</td>
              <td className="w-1/2">
                <svg width="100%" height="14" role="presentation" className="block">
                  {result.before && (
                    <rect
                      x="0.5"
                      y="1"
                      width={`${k.before * 98}%`}
                      height="5"
                      className="fill-paper stroke-ink"
                    />
                  )}
                  {result.after && (
                    <rect x="0" y="8" width={`${k.after * 98}%`} height="5" className="fill-ink" />
                  )}
                </svg>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
