import type { WatchPage } from "../api/watch";
import { clock, three } from "../format/figures";
import { wordOf } from "./kinds";

const height = 26;

/** So many kinds of wait have a row of their own. */
const mostKinds = 5;

/** Sessions over time, a row for each kind of wait on one scale: what makes the load, and when. */
export function LoadRows({ page }: { page: WatchPage }) {
  const { course, kinds } = page;
  const kindRows = kinds.map((k, i) => ({
    key: k,
    name: wordOf(k),
    values: course.map((p) => p.kinds[i] ?? 0),
  }));
  const rows = [
    { key: "", name: "all active", values: course.map((p) => p.active) },
    ...kindRows.slice(0, mostKinds),
    ...(kindRows.length > mostKinds ? [othersOf(kindRows.slice(mostKinds))] : []),
  ];
  const most = Math.max(...course.map((p) => p.active), 1e-9);
  const first = course[0];
  const last = course[course.length - 1];
  if (!first || !last) {
    return (
      <p className="text-quiet">
        {page.watch.state === "running"
          ? "What is seen is told every ten seconds; the first ten are not over yet."
          : "It ended before its first ten seconds were over."}
      </p>
    );
  }
  return (
    <table className="ruled w-full" aria-label="Sessions active on average, by what they wait for">
      <thead>
        <tr>
          <th scope="col" className="w-36">
            sessions
          </th>
          <th scope="col" className="num w-20">
            on average
          </th>
          <th scope="col">
            <span className="flex justify-between">
              <span>{clock(first.at)}</span>
              <span>up to {three(most)} at once</span>
              <span>{clock(page.watch.lastAt)}</span>
            </span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.key}>
            <th scope="row" className="text-left font-normal">
              {r.key === "" ? <strong>{r.name}</strong> : r.name}
            </th>
            <td className="num">{three(averageOf(r.values, course))}</td>
            <td className="py-0">
              <svg
                viewBox={`0 0 ${course.length} ${height}`}
                preserveAspectRatio="none"
                width="100%"
                height={height}
                role="img"
                aria-label={`${r.name}: ${three(averageOf(r.values, course))} on average, ${three(Math.max(...r.values))} at most`}
              >
                <path
                  d={steps(r.values, most)}
                  className={r.key === "" ? "fill-strong" : "fill-band stroke-quiet"}
                  strokeWidth={1}
                  vectorEffect="non-scaling-stroke"
                />
              </svg>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function othersOf(rows: { name: string; values: number[] }[]) {
  const values = (rows[0]?.values ?? []).map((_, at) =>
    rows.reduce((sum, r) => sum + (r.values[at] ?? 0), 0),
  );
  return { key: "others", name: rows.map((r) => r.name).join(", "), values };
}

/** Points weigh by how many looks they hold: the last one is often short. */
function averageOf(values: number[], course: WatchPage["course"]): number {
  const looks = course.reduce((sum, p) => sum + p.samples, 0);
  return values.reduce((sum, v, at) => sum + v * (course[at]?.samples ?? 0), 0) / Math.max(1, looks);
}

function steps(values: number[], most: number): string {
  return `M0 ${height}${values.map((v, i) => `V${(height - (v / most) * (height - 2)).toFixed(2)}H${i + 1}`).join("")}V${height}Z`;
}
