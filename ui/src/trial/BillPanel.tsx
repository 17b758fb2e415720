import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas, TrialPageView } from "../api/client";
import { useFindings } from "../api/hooks";
import { bytes, count, moment, percent, three } from "../format/figures";
import { SideHeads } from "../parts/Mark";
import { Failure } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { Decided } from "./Decided";
import { Held } from "./Held";

const shownItems = 8;

/** What the workload costs a day on each side, what moved it, and how the trial was made. */
export function BillPanel({ page, open }: { page: TrialPageView; open: (line: number) => void }) {
  const { bill } = page;
  return (
    <Page label="Bill" head={<h2 className="head">Bill: what a day of this workload costs</h2>}>
      {bill.items.length === 0 ? (
        <p className="text-quiet">
          The bill is calls a day times mean time, summed over the lines.{" "}
          {page.trial.state === "waiting" || page.trial.state === "running"
            ? "It fills in as lines are measured that say how often they are called."
            : "No line that says how often it is called has blocks enough for it."}
        </p>
      ) : (
        <Totals page={page} />
      )}
      <Held limits={page.limits} open={open} />
      {bill.items.length > 0 && <Movers page={page} open={open} />}
      <Found page={page} open={open} />
      <LeftOut page={page} />
      {page.applied.length > 0 && (
        <>
          <h3 className="section">Applied to the after side</h3>
          <table className="ruled">
            <thead>
              <tr>
                <th scope="col">statement</th>
                <th scope="col" className="num">
                  s
                </th>
              </tr>
            </thead>
            <tbody>
              {page.applied.map((a) => (
                <tr key={a.statement}>
                  <td className="max-w-0 w-full truncate font-mono text-sm" title={a.sql}>
                    {a.sql}
                  </td>
                  <td className="num">{three(a.seconds)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {!page.settings.noiseCheck && (
        <>
          <h3 className="section">Change</h3>
          <Sql text={page.change} label="SQL of the change" />
        </>
      )}
      <Conditions page={page} />
    </Page>
  );
}

function Totals({ page: { bill } }: { page: TrialPageView }) {
  const rows: [string, number, number, string][] = [
    ["database-seconds a day", bill.beforeSecondsPerDay, bill.afterSecondsPerDay, "s"],
    ["pages touched a day", bill.beforePagesPerDay, bill.afterPagesPerDay, "p"],
    ["rows returned or changed a day", bill.beforeRowsPerDay, bill.afterRowsPerDay, "r"],
  ];
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col">amount</th>
          <SideHeads />
        </tr>
      </thead>
      <tbody>
        {rows.map(([label, before, after, key]) => (
          <tr key={key}>
            <th scope="row" className="font-normal! text-ink!">
              {label}
              {key === "s" && (
                <div className="text-quiet">
                  95 % interval: {three(bill.beforeInterval[0] ?? 0)} to {three(bill.beforeInterval[1] ?? 0)},
                  then {three(bill.afterInterval[0] ?? 0)} to {three(bill.afterInterval[1] ?? 0)}
                </div>
              )}
            </th>
            <td className={`num ${key === "s" ? "font-semibold" : ""}`}>{three(before)}</td>
            <td className={`num ${key === "s" ? "font-semibold" : ""}`}>{three(after)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Movers({ page: { bill }, open }: { page: TrialPageView; open: (line: number) => void }) {
  const top = bill.items.slice(0, shownItems);
  const rest = bill.items.slice(shownItems);
  const decimals = Math.max(...bill.items.map((i) => String(i.shareOfChange).split(".")[1]?.length ?? 0));
  const signed = (n: number) => `${n > 0 ? "+" : n < 0 ? "\u2212" : ""}${Math.abs(n).toFixed(decimals)}`;
  const sum = (items: typeof top) => items.reduce((s, i) => s + i.shareOfChange, 0);
  return (
    <>
      <h3 className="section">What moved it, in database-seconds a day</h3>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">line</th>
            <th scope="col" className="num">
              calls a day
            </th>
            <th scope="col" className="num">
              change
            </th>
          </tr>
        </thead>
        <tbody>
          {top.map((i) => (
            <tr key={i.line}>
              <td>
                <button type="button" className="link" onClick={() => open(i.line)}>
                  {i.statement} {i.case}
                </button>
              </td>
              <td className="num">{three(i.callsPerDay)}</td>
              <td className="num">{signed(i.shareOfChange)}</td>
            </tr>
          ))}
          {rest.length > 0 && (
            <tr>
              <td className="text-quiet" colSpan={2}>
                {count(rest.length)} other lines
              </td>
              <td className="num">{signed(sum(rest))}</td>
            </tr>
          )}
          <tr className="total">
            <th scope="row" colSpan={2} className="text-ink!">
              all
            </th>
            <td className="num font-semibold">{signed(sum(bill.items))}</td>
          </tr>
        </tbody>
      </table>
    </>
  );
}

/** What the plans after the change do that costs more than it need, the costliest first, over all lines. */
function Found({ page: { trial }, open }: { page: TrialPageView; open: (line: number) => void }) {
  const ended = trial.state !== "running" && trial.state !== "waiting" && trial.state !== "refused";
  const findings = useFindings(trial.id, ended);
  const [all, setAll] = useState(false);
  if (!ended || findings.isPending) {
    return null;
  }
  if (findings.error) {
    return <Failure error={findings.error} retry={() => findings.refetch()} />;
  }
  const list = findings.data ?? [];
  return (
    <>
      <h3 className="section">What costs more than it need, after the change</h3>
      {list.length === 0 && <p className="text-quiet">Nothing was found in the plans of these lines.</p>}
      <ol>
        {list.slice(0, all ? list.length : shownItems).map((f, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a line may have a finding twice, for two operators.
          <li key={i} className="border-t border-rule py-1 first:border-0">
            <p className="flex items-baseline gap-3">
              <Link to="/glossary" hash={f.finding.kind} className="link min-w-0 truncate">
                {f.finding.title}
              </Link>
              <span className="ml-auto shrink-0 text-quiet">
                {f.secondsPerDay !== null
                  ? `${three(f.secondsPerDay)} s a day`
                  : f.finding.share !== null
                    ? `${percent(f.finding.share)} of its time`
                    : ""}
              </span>
            </p>
            <p className="text-sm">
              <button type="button" className="link" onClick={() => open(f.line)}>
                {f.statement} {f.case}
              </button>
              : {f.finding.text.replaceAll("`", "")}
            </p>
          </li>
        ))}
      </ol>
      {list.length > shownItems && !all && (
        <button type="button" className="link text-sm" onClick={() => setAll(true)}>
          and {count(list.length - shownItems)} more
        </button>
      )}
    </>
  );
}

function LeftOut({ page: { bill, trial } }: { page: TrialPageView }) {
  if (bill.leftOut.length === 0 || trial.state === "running" || trial.state === "waiting") {
    return null;
  }
  return (
    <>
      <h3 className="section">Not in the bill</h3>
      <ul>
        {bill.leftOut.slice(0, 30).map((l) => (
          <li key={l.line}>
            {l.statement} {l.case}: <span className="text-quiet">{l.reason}</span>
          </li>
        ))}
      </ul>
    </>
  );
}

/** The few settings that most bear on cost, by engine; all of them stand in the result. */
const telling: Record<string, Record<string, string>> = {
  SQLite: { journal_mode: "journal", cache_size: "cache", page_size: "page" },
  PostgreSQL: {
    shared_buffers: "shared buffers",
    work_mem: "work memory",
    random_page_cost: "random page cost",
  },
};

const told = (e: Schemas["TrialEnvironment"]) =>
  Object.entries(telling[e.engine] ?? {})
    .map(([name, word]) => `${word} ${e.settings[name]}`)
    .join(", ");

function Conditions({ page }: { page: TrialPageView }) {
  const e = page.environment;
  const s = page.settings;
  return (
    <>
      <h3 className="section">How it was measured</h3>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 text-sm">
        <dt className="text-quiet">database</dt>
        <dd className="break-all">
          {page.subject}
          {e && `, ${bytes(e.subjectBytes)}`}
        </dd>
        {e && (
          <>
            <dt className="text-quiet">engine</dt>
            <dd>
              {e.engine} {e.engineVersion}; {told(e)}
            </dd>
            <dt className="text-quiet">machine</dt>
            <dd>
              {e.machine}; load {three(e.loadAverage)}
            </dd>
          </>
        )}
        <dt className="text-quiet">rules</dt>
        <dd>
          level within {s.tolerancePercent} %, {s.quick ? 90 : 200} blocks at most, seed {s.seed}
          {s.noiseCheck && ", noise check: nothing was changed"}
        </dd>
        <dt className="text-quiet">begun</dt>
        <dd>{moment(page.trial.startedAt ?? page.trial.createdAt)}</dd>
        <Decided page={page} />
        <dt className="text-quiet">result as</dt>
        <dd className="flex gap-3">
          {["json", "csv", "md", "xml", "html"].map((f) => (
            <a
              key={f}
              className="link"
              href={`/api/trials/${page.trial.id}/result.${f}`}
              download={`trial-${page.trial.id}.${f}`}
            >
              {f === "xml" ? "JUnit XML" : f === "md" ? "Markdown" : f.toUpperCase()}
            </a>
          ))}
        </dd>
      </dl>
    </>
  );
}
