import type { WatchPage } from "../api/watch";
import { moment, three } from "../format/figures";
import { wordOf } from "./kinds";

const height = 26;

/** Sessions over time, a row for each kind of wait on one scale: what makes the load, and when. */
export function LoadRows({ page }: { page: WatchPage }) {
  const { course, kinds, watch } = page;
  const rows = [
    { key: "", name: "all active", values: course.map((p) => p.active), average: watch.active },
    ...kinds.map((k, i) => {
      const values = course.map((p) => p.kinds[i] ?? 0);
      return { key: k, name: wordOf(k), values, average: averageOf(values) };
    }),
  ];
  const most = Math.max(...course.map((p) => p.active), 1e-9);
  const first = course[0];
  const last = course[course.length - 1];
  if (!first || !last) {
    return <p className="text-quiet">The first ten seconds are not over yet.</p>;
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
              <span>{moment(first.at)}</span>
              <span>up to {three(most)} at once</span>
              <span>{moment(last.at)}</span>
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
            <td className="num">{three(r.average)}</td>
            <td className="py-0">
              <svg
                viewBox={`0 0 ${course.length} ${height}`}
                preserveAspectRatio="none"
                width="100%"
                height={height}
                role="img"
                aria-label={`${r.name}: ${three(r.average)} on average, ${three(Math.max(...r.values))} at most`}
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

function averageOf(values: number[]): number {
  return values.reduce((a, b) => a + b, 0) / Math.max(1, values.length);
}

function steps(values: number[], most: number): string {
  return `M0 ${height}${values.map((v, i) => `V${(height - (v / most) * (height - 2)).toFixed(2)}H${i + 1}`).join("")}V${height}Z`;
}
