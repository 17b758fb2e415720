import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { goesOn } from "../api/batch";
import type { Measure, Rehearsal, RehearsalResult } from "../api/rehearsals";
import { bytes, count, duration, elapsed, percent, three } from "../format/figures";
import { IntervalBar } from "../parts/IntervalBar";
import { SideHeads, SideMark, VerdictMark } from "../parts/Mark";
import { Capacity } from "./Capacity";
import { Counted, Queues } from "./Counted";
import { Course } from "./Course";
import { inHundreds } from "./remedy";
import { Soak } from "./Soak";
import { Tail } from "./Tail";
import { Waits } from "./Waits";

/** What came of a rehearsal, while it runs and afterwards. */
export function Result({
  book,
  page,
  remedy,
}: {
  book: number;
  page: Rehearsal;
  remedy: (load: string, title: string) => void;
}) {
  const result = page.result ?? undefined;
  const going = goesOn(page.state);
  const inHundred = inHundreds(page.load);
  return (
    <>
      {going && <Reached page={page} />}
      {page.message && !going && (
        <p role="alert" className="mb-2 border-l-2 border-failed pl-2">
          {page.message}
        </p>
      )}
      {result?.problem && (
        <p role="alert" className="mb-2 border-l-2 border-failed pl-2 text-failed">
          {result.problem}
        </p>
      )}
      {result && (
        <>
          {going && <p className="mb-2">{result.headline}</p>}
          {result.capacity && <Capacity capacity={result.capacity} />}
          {result.stints.length > 0 && (
            <>
              {result.soak && <Soak soak={result.soak} />}
              {!(result.soak && result.options.oneSided) && <Measures result={result} />}
              <Tail result={result} />
              <Course result={result} />
              <Waits result={result} />
              <Queues result={result} />
              <Counted result={result} />
            </>
          )}
          {result.findings.map((f) => (
            <section key={f.kind} aria-label={f.title} className="mt-4">
              <h3 className="section">
                <Link className="hover:underline" to="/glossary" hash={f.kind}>
                  {f.title}
                </Link>
              </h3>
              <p>{f.evidence}</p>
              <p className="text-quiet">
                {f.meaning} {f.remedy}
              </p>
              {f.kind === "commitsWaitForDisk" && inHundred && !going && (
                <button
                  type="button"
                  className="press mt-1"
                  onClick={() => remedy(inHundred, `${page.title}, committed by hundreds after`)}
                >
                  Rehearse: commit every 100 after, each before
                </button>
              )}
            </section>
          ))}
          {result.stints.length > 0 && <Facts result={result} />}
          {page.state === "finished" && result.options.oneSided === false && !result.capacity && (
            <p className="mt-4">
              <Link
                className="press"
                to="/books/$bookId/post"
                params={{ bookId: String(book) }}
                search={{ rehearsal: page.id }}
              >
                Post to the ledger
              </Link>
            </p>
          )}
          {!going && (
            <p className="mt-4 flex flex-wrap gap-3 text-sm">
              {["json", "md", "html", "xml", "hlog"].map((f) => (
                <a key={f} className="link" href={`/api/books/${book}/rehearsals/${page.id}/result.${f}`}>
                  {
                    {
                      json: "JSON",
                      md: "Markdown",
                      html: "HTML",
                      xml: "JUnit XML",
                      hlog: "HdrHistogram log",
                    }[f]
                  }
                </a>
              ))}
            </p>
          )}
        </>
      )}
    </>
  );
}

/** Where it is, told while it runs. */
function Reached({ page }: { page: Rehearsal }) {
  const left =
    Math.max(0, page.mostStints - page.stintsDone) *
    (page.result?.options.stintSeconds ?? page.settings.stintSeconds);
  return (
    <div className="mb-3">
      <div
        role="progressbar"
        aria-label="Stints"
        aria-valuemin={0}
        aria-valuemax={page.mostStints}
        aria-valuenow={page.stintsDone}
        className="h-[5px] border border-strong"
      >
        <div
          className="h-full bg-ink"
          style={{ width: `${(100 * page.stintsDone) / Math.max(1, page.mostStints)}%` }}
        />
      </div>
      <p className="text-sm text-quiet">
        {page.stage === "measuring"
          ? `${count(page.stintsDone)} stints done, ${count(page.mostStints)} at the most${left > 0 ? `, ${elapsed(left)} to go at the most` : ""}`
          : page.state === "waiting"
            ? "One thing is measured at a time, so that none disturbs another. This page goes on by itself."
            : `${page.stage === "waiting" ? "Waits: " : ""}${page.detail ?? "Making the copies"}`}
        {page.now &&
          `; now ${page.now.side}, ${three(page.now.seconds)} s into the stint, ${count(page.now.executions)} executed`}
      </p>
    </div>
  );
}

const judged = (m: Measure) => !m.message?.startsWith("Shown, not judged");

/** The verdict on each measure: of all tasks together, and of each statement on demand. */
function Measures({ result }: { result: RehearsalResult }) {
  const names = [null, ...result.statements.map((s) => s.statement)];
  const [open, setOpen] = useState<Record<string, boolean>>({});
  const reach = Math.max(
    1.5,
    ...result.measures.filter((m) => m.low !== null).map((m) => Math.max(m.high ?? 1, 1 / (m.low || 1))),
  );
  const band = 1 + result.options.tolerancePercent / 100;
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col">verdict</th>
          <th scope="col">measure</th>
          <SideHeads />
          <th scope="col" className="num">
            after / before
          </th>
          <th scope="col">
            <span className="sr-only">interval</span>
          </th>
        </tr>
      </thead>
      {names.map((name) => {
        const all = result.measures.filter((m) => m.statement === name);
        // Of a statement, what was decided stands first; the rest is one step away.
        const first = all.filter(
          (m) => m.verdict === "regressed" || m.verdict === "improved" || m.verdict === "failed",
        );
        const shown =
          name === null || open[name]
            ? all
            : first.length > 0
              ? first
              : all.filter((m) => m.measure === "p50");
        return (
          <tbody key={name ?? ""}>
            <tr>
              <th scope="rowgroup" colSpan={6} className="pt-3 text-left font-semibold">
                {name ?? "all tasks"}
                {name !== null && all.length > shown.length && (
                  <button
                    type="button"
                    className="link ml-3 font-normal text-sm"
                    onClick={() => setOpen({ ...open, [name]: true })}
                  >
                    all measures<span className="sr-only"> of {name}</span>
                  </button>
                )}
              </th>
            </tr>
            {shown.map((m) => (
              <tr key={m.measure}>
                <td>
                  {judged(m) && m.verdict ? (
                    <VerdictMark verdict={m.verdict} />
                  ) : (
                    <span className="text-quiet">not judged</span>
                  )}
                </td>
                <td title={m.message ?? undefined}>{m.measure}</td>
                <td className="num">{figureOf(m, m.before)}</td>
                <td className="num">{figureOf(m, m.after)}</td>
                <td className="num">{m.ratio === null ? "" : moved(m)}</td>
                <td>
                  {m.low !== null && m.high !== null && m.ratio !== null && (
                    <IntervalBar
                      low={m.low}
                      high={m.high}
                      centre={m.ratio}
                      bandLow={1 / band}
                      bandHigh={band}
                      verdict={m.verdict}
                      width={110}
                      height={14}
                      reach={reach}
                    />
                  )}
                  {(m.verdict === "failed" ||
                    (m.low === null && judged(m) && !m.message?.includes("the first look"))) && (
                    <span className="text-sm text-quiet">{m.message}</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        );
      })}
    </table>
  );
}

const figureOf = (m: Measure, value: number | null) =>
  value === null ? "" : m.measure === "throughput" ? `${three(value)}/s` : duration(value);

function moved(m: Measure): string {
  const r = m.ratio ?? 1;
  const factor = r >= 1 ? r : 1 / r;
  const [up, down] = m.measure === "throughput" ? ["higher", "lower"] : ["longer", "shorter"];
  return factor < 1.005 ? "the same" : `${three(factor)}x ${r > 1 ? up : down}`;
}

/** What an expert asks next: was it the sender, was it steady, what did commits wait for. */
function Facts({ result }: { result: RehearsalResult }) {
  const sides = [
    ["before", result.before],
    ["after", result.after],
  ] as const;
  const last = result.stints.at(-1);
  return (
    <section aria-label="How it was sent" className="mt-4">
      <h3 className="section">How it was sent</h3>
      {result.options.parts.map((p) => (
        <p key={p.name}>
          <b>{p.name}</b>: {count(p.sessions)} sessions,{" "}
          {p.rate ? `arrivals ${p.rate}` : `think time ${p.think}`}
          {p.commitEvery > 1 ? `, committed every ${count(p.commitEvery)}` : ""}: {p.statements.join(", ")}
        </p>
      ))}
      {sides.map(
        ([name, s]) =>
          s && (
            <p key={name} className="text-quiet">
              <SideMark side={name} />
              {count(s.executions)} executions, {count(s.errors)} failed, {count(s.retries)} begun anew;{" "}
              {three(s.sessionsInUse)} sessions in use and {three(s.arrivalsWaiting)} arrivals waiting on
              average
              {s.abandoned > 0 ? `; ${count(s.abandoned)} never began` : ""}
              {s.unsteadyStints > 0
                ? `; in ${count(s.unsteadyStints)} ${s.unsteadyStints === 1 ? "stint" : "stints"} sessions in use were not throughput times latency within 5 %: no steady state`
                : ""}
              .
            </p>
          ),
      )}
      {result.before?.serviceMs && (
        <p>
          The bill: 1,000 executions cost{" "}
          {sides.flatMap(([name, s]) =>
            s?.serviceMs
              ? [
                  <span key={name}>
                    {name === "after" ? ", " : ""}
                    <b>{three(s.serviceMs.mean)}</b> database-seconds {name}, or{" "}
                    {elapsed(s.serviceMs.mean * s.throughputPerSecond * 3.6)} in an hour of this load
                  </span>,
                ]
              : [],
          )}
          .
        </p>
      )}
      <p className="text-quiet">
        The sender began executions whose session was free {duration(result.sender.scheduleErrorP99Ms)} late
        at the 99th percentile, and had {percent(result.sender.cpuShare)} of the processors
        {result.sender.machineShare !== null
          ? ` of ${percent(result.sender.machineShare)} that were busy`
          : ""}
        {result.sender.wasTheLimit ? ": it was the limit, and nothing is decided" : ""}. Commits:{" "}
        {result.options.durability ?? "not known"}. {last && `The copy has ${bytes(last.bytes)} now.`}
      </p>
    </section>
  );
}
