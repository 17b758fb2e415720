import type { RehearsalResult } from "../api/rehearsals";
import { bytes, count, duration, percent, three } from "../format/figures";
import { SideHeads } from "../parts/Mark";

type Counts = NonNullable<NonNullable<RehearsalResult["before"]>["counts"]>;

type Figure = [
  what: string,
  of: (c: Counts) => number | null,
  text: (value: number) => string,
  isCounted?: boolean,
];

const figures: Figure[] = [
  ["written", (c) => c.writtenBytes, bytes, true],
  ["pages read into memory", (c) => c.pagesRead, three, true],
  ["temporary files, in 1,000 tasks", (c) => c.tempFiles, three, true],
  ["written to temporary files", (c) => c.tempBytes, bytes, true],
  ["of a processor", (c) => c.cpuMs, duration],
  ["ready, waiting for one", (c) => c.cpuWaitMs, duration],
];

const whole: Figure[] = [
  ["a session had of a processor, in the middle", (c) => c.medianSessionCpu, percent],
  ["the busiest session", (c) => c.busiestSessionCpu, percent],
  ["checkpoints in all stints", (c) => c.checkpoints, count],
];

/** What the engine counted for a task, on both sides; what is nothing on either is left out. */
export function Counted({ result }: { result: RehearsalResult }) {
  const [before, after] = [result.before?.counts, result.after?.counts];
  const rows = (of: Figure[]) =>
    of
      .map(([what, value, text, isCounted]) => ({
        what,
        isCounted,
        values: [before && value(before), after && value(after)],
        text,
      }))
      .filter((r) => r.values.some((v) => (v ?? 0) > 0));
  const [each, all] = [rows(figures), rows(whole)];
  if (each.length + all.length === 0) {
    return null;
  }
  const body = (of: typeof each) =>
    of.map((r) => (
      <tr key={r.what}>
        <th scope="row" className="font-normal">
          {r.what}
        </th>
        {r.values.map((v, side) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: before and after
          <td key={side} className="num">
            {typeof v === "number" ? r.text(v) : ""}
          </td>
        ))}
        <td className="num">{r.isCounted && moved(r.values)}</td>
      </tr>
    ));
  return (
    <section aria-label="What the engine counted" className="mt-4">
      <h3 className="section">What the engine counted</h3>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">{each.length > 0 ? "for each task" : ""}</th>
            <SideHeads />
            <th scope="col" className="num">
              change
            </th>
          </tr>
        </thead>
        <tbody>
          {body(each)}
          {body(all)}
        </tbody>
      </table>
    </section>
  );
}

/** A count has no noise of a clock: how many times as much, and nothing where one side has none. */
function moved([before, after]: (number | null | undefined)[]): string {
  if (!before || !after) {
    return "";
  }
  const factor = after >= before ? after / before : before / after;
  return factor < 1.005 ? "the same" : `${three(factor)}x ${after > before ? "more" : "less"}`;
}

/** Who waited for whom, where the engine tells. */
export function Queues({ result }: { result: RehearsalResult }) {
  const queues = (result.queues ?? [])
    .filter((q) => Math.max(q.before ?? 0, q.after ?? 0) >= 0.005)
    .slice(0, 8);
  if (queues.length === 0) {
    return null;
  }
  return (
    <section aria-label="Who waited for whom" className="mt-4">
      <h3 className="section">Who waited for whom</h3>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">waited</th>
            <th scope="col">behind, at the head</th>
            <SideHeads />
            <th scope="col" className="num">
              longest
            </th>
          </tr>
        </thead>
        <tbody>
          {queues.map((q) => (
            <tr key={`${q.statement} ${q.behind} ${q.kind}`}>
              <td>{q.statement ?? "something else"}</td>
              <td>
                {q.behind ?? (q.meaning === "commit" ? "a commit" : "something else")}{" "}
                <span className="text-quiet">({q.kind})</span>
              </td>
              <td className="num">{q.before === null ? "" : percent(q.before)}</td>
              <td className="num">{q.after === null ? "" : percent(q.after)}</td>
              <td className="num">
                {count(q.longest)}
                {q.depth > 1 && <span className="text-quiet">, {q.depth} deep</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
