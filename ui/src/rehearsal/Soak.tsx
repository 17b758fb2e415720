import { Fragment } from "react";
import type { RehearsalResult } from "../api/rehearsals";
import { bytes, duration, elapsed, moment, three } from "../format/figures";
import { SideMark } from "../parts/Mark";

type SoakResult = NonNullable<RehearsalResult["soak"]>;
type Trend = SoakResult["trends"][number];

const courses = { rising: "rises", falling: "falls", steady: "holds", open: "cannot tell" } as const;
const signs = { rising: "▲", falling: "▼", steady: "=", open: "?" } as const;
const names: Partial<Record<Trend["measure"], string>> = {
  bytes: "size of the files",
  memory: "sender's memory",
};

/** What a steady load did over its whole length: what rises, what grows, and whose plan became another one. */
export function Soak({ soak }: { soak: SoakResult }) {
  const statements = [...new Set(soak.trends.map((t) => t.statement))];
  return (
    <section aria-label="Over its whole length">
      <h3 className="section">Over {elapsed(soak.seconds)} of steady load</h3>
      {soak.resumed.map((at) => (
        <p key={at} className="text-quiet">
          Carried on {moment(at)}, on fresh copies: stints are compared only with those on the same copies.
        </p>
      ))}
      {soak.trends.length === 0 ? (
        <p className="text-quiet">Ten stints are the fewest that a drift is told from.</p>
      ) : (
        <table className="ruled">
          <thead>
            <tr>
              <th scope="col">course</th>
              <th scope="col">measure</th>
              <th scope="col" className="num">
                at the beginning
              </th>
              <th scope="col" className="num">
                at the end
              </th>
              <th scope="col" className="num">
                an hour
              </th>
            </tr>
          </thead>
          {statements.map((name) => (
            <tbody key={name ?? ""}>
              <tr>
                <th scope="rowgroup" colSpan={5} className="pt-3 text-left font-semibold">
                  {name ?? "all tasks"}
                </th>
              </tr>
              {soak.trends
                .filter((t) => t.statement === name)
                .map((t) => (
                  <tr key={`${t.side} ${t.measure}`} title={t.told}>
                    <td className={`whitespace-nowrap ${t.course === "open" ? "text-quiet" : ""}`}>
                      <span aria-hidden="true" className="inline-block w-4">
                        {signs[t.course]}
                      </span>
                      {courses[t.course]}
                    </td>
                    <td className="whitespace-nowrap">
                      <SideMark side={t.side} />
                      {names[t.measure] ?? t.measure}
                    </td>
                    <td className="num">{figure(t, t.atStart)}</td>
                    <td className="num">{figure(t, t.atEnd)}</td>
                    <td className="num">
                      {signed(t, t.low)} to {signed(t, t.high)}
                    </td>
                  </tr>
                ))}
            </tbody>
          ))}
        </table>
      )}
      {soak.plans.map((p) => (
        <Fragment key={`${p.side} ${p.statement} ${p.at}`}>
          <p className="mt-3">
            <SideMark side={p.side} />
            <b>{p.statement}</b> has another plan since {elapsed(p.at)}
            {p.afterRestart ? ", when it went on with fresh copies" : ""}:
          </p>
          <pre className="overflow-auto text-quiet text-sm">{p.from.join("\n")}</pre>
          <p className="text-quiet">became</p>
          <pre className="overflow-auto text-sm">{p.to.join("\n")}</pre>
        </Fragment>
      ))}
    </section>
  );
}

const figure = (t: Trend, value: number) =>
  t.measure === "throughput"
    ? `${three(Math.max(0, value))}/s`
    : t.measure === "bytes" || t.measure === "memory"
      ? bytes(Math.max(0, value))
      : duration(Math.max(0, value));

const signed = (t: Trend, value: number) => `${value < 0 ? "−" : "+"}${figure(t, Math.abs(value))}`;
