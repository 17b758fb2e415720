import type { Schemas, TrialPageView } from "../api/client";
import { bytes, count, moment, three } from "../format/figures";
import { SideHeads } from "../parts/Mark";
import { Page } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { Decided } from "./Decided";

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
      {bill.items.length > 0 && <Movers page={page} open={open} />}
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
