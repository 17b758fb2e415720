import { Link } from "@tanstack/react-router";
import { type ReactNode, useState } from "react";
import type { Schemas } from "../api/client";
import { markdownOf, useLine } from "../api/hooks";
import { count, ratio, three } from "../format/figures";
import { Copy } from "../parts/Copy";
import { IntervalBar } from "../parts/IntervalBar";
import { SideHeads, VerdictMark } from "../parts/Mark";
import { Failure } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { Word } from "../parts/Word";
import { marksOf } from "../plans/Compared";
import { type Choice, operatorOf } from "../plans/choice";
import { Findings } from "../plans/Findings";
import { ShortAccount } from "../plans/PlanAccount";
import { PlanMeasures } from "../plans/PlanMeasures";
import { Held } from "./Held";
import { RowsThatDiffer } from "./RowsThatDiffer";
import { SamplesChart } from "./SamplesChart";

type Props = {
  trial: number;
  line: number;
  live: boolean;
  close: () => void;
  /** Those that are about this line. */
  limits: Schemas["TrialLimitView"][];
};

/** One line: the claim, then its evidence. */
export function LinePanel({ trial, line, live, close, limits }: Props) {
  const query = useLine(trial, line, live);
  const [choice, choose] = useState<Choice>(null);
  if (query.error) {
    return <Failure error={query.error} retry={() => query.refetch()} />;
  }
  if (!query.data) {
    return <p className="px-5 py-8 text-quiet">Reading the line.</p>;
  }
  const page = query.data;
  const r = page.line.result;
  const plans = page.plans;
  const chosen = plans && operatorOf(plans, choice);
  return (
    <Page
      key={line}
      label="Line"
      head={
        <>
          <div className="flex items-baseline justify-between gap-3">
            <h2 className="head min-w-0 truncate" title={r.statement}>
              {r.statement} <span className="font-normal text-quiet">case {r.case}</span>
            </h2>
            <button type="button" className="link shrink-0 text-quiet" onClick={close}>
              close
            </button>
          </div>
          <p className="flex flex-wrap items-baseline gap-x-3">
            {r.verdict ? (
              <VerdictMark verdict={r.verdict} basis={r.basis} />
            ) : (
              <span className="text-quiet">
                {page.line.state !== "left" ? page.line.state : r.time ? "not settled" : "not measured"}
              </span>
            )}
            {r.time && <strong>{ratio(r.time.ratio)}</strong>}
            <span className="text-quiet">{rowsText(r)}</span>
          </p>
          <p className="flex flex-wrap gap-x-3 text-sm text-quiet">
            copy:
            <Copy what="link" text={() => `${window.location.origin}/trials/${trial}/lines/${line}`} />
            <Copy what="line as Markdown" text={() => markdownOf(trial, line)} />
            <Copy what="SQL" text={page.afterSql} />
            {page.beforePlanText && <Copy what="plan before" text={page.beforePlanText} />}
            {page.afterPlanText && <Copy what="plan after" text={page.afterPlanText} />}
          </p>
          {plans && (
            <p className="mt-0.5 text-md font-medium leading-snug">
              {plans.sentence ?? (plans.samePlan ? "The same plan on both sides." : null)}
            </p>
          )}
          {page.leavesStanding === true && (
            <p className="border-l-2 border-dearer pl-2">
              This line leaves the statement's standing plan
              {page.standing && ` since ${page.standing.since.slice(0, 10)}`}.
            </p>
          )}
          {limits
            .filter((l) => l.state === "broken")
            .map((l) => (
              <p key={`${l.at} ${l.limit}`} className="border-l-2 border-dearer pl-2">
                The change breaks <span className="font-mono text-sm">{l.limit}</span>.
              </p>
            ))}
          {r.message && <p className="text-quiet">{r.message}</p>}
          {r.notices.map((n) => (
            <p key={n} className="border-l-2 border-unsettled pl-2">
              {n}
            </p>
          ))}
        </>
      }
    >
      {r.time && <Interval page={page} />}
      <RowsThatDiffer r={r} />
      <Held limits={limits} said={plans?.sentence ?? ""} />
      <h3 className="section flex items-baseline justify-between gap-3">
        <span>
          Plans
          {r.planChanged === false && (
            <span className="font-normal text-quiet">: the same on both sides</span>
          )}
        </span>
        {plans && (
          <Link
            className="link font-normal"
            to="/trials/$trialId/plans/$line"
            params={{ trialId: String(trial), line: String(line) }}
          >
            side by side, with row flow
          </Link>
        )}
      </h3>
      {plans ? (
        <>
          <ShortAccount comparison={plans} choice={choice} choose={choose} />
          {chosen && (
            <p className="mt-1 border-l-2 border-rule pl-2 text-sm" aria-live="polite">
              {chosen.means} {chosen.counted}
            </p>
          )}
          {(plans.after?.note ?? plans.before?.note) && (
            <p className="mt-1 border-l-2 border-unsettled pl-2 text-sm">
              {plans.after?.note ?? plans.before?.note}
            </p>
          )}
          <PlanMeasures page={page} />
          <h3 className="section">What costs more than it need, after</h3>
          <Findings
            findings={plans.after?.findings ?? []}
            side="after"
            choose={choose}
            none="Nothing stands out in the plan after."
          />
        </>
      ) : (
        <p className="text-quiet">
          {page.line.state === "left" || page.line.state === "waiting"
            ? "It was not looked at."
            : "There is no plan to show: this kind of statement has none, or it could not be prepared."}
        </p>
      )}
      {r.before.rows !== null || r.after.rows !== null || r.time ? (
        <>
          <h3 className="section">Measured</h3>
          <Numbers r={r} />
        </>
      ) : null}
      {page.blocks.length > 0 && <SamplesChart blocks={page.blocks} confirming={page.confirmingBlocks} />}
      <h3 className="section">
        {page.beforeSql === page.afterSql ? "SQL" : "SQL before"}
        {page.beforeBinds && (
          <span className="font-mono font-normal text-sm text-quiet"> {page.beforeBinds}</span>
        )}
      </h3>
      <Sql
        text={page.beforeSql}
        label="SQL of the statement"
        marks={plans ? marksOf(plans, "before") : []}
        chosen={choice?.side === "before" || page.beforeSql === page.afterSql ? (choice?.at ?? null) : null}
        choose={(at) => choose({ side: "before", at })}
      />
      {page.beforeSql !== page.afterSql && (
        <>
          <h3 className="section">
            SQL after, rewritten
            {page.afterBinds && (
              <span className="font-mono font-normal text-sm text-quiet"> {page.afterBinds}</span>
            )}
          </h3>
          <Sql
            text={page.afterSql}
            label="SQL of the rewrite"
            marks={plans ? marksOf(plans, "after") : []}
            chosen={choice?.side === "after" ? choice.at : null}
            choose={(at) => choose({ side: "after", at })}
          />
        </>
      )}
    </Page>
  );
}

function rowsText(r: Schemas["ResultLine"]): string {
  const rows = r.before.rows ?? r.after.rows;
  const many = rows === null ? "" : ` (${count(rows)})`;
  switch (r.sameRows) {
    case true:
      return r.sameOrder === false ? `same rows${many}, another order` : `same rows${many}`;
    case false:
      return `rows differ: ${count(r.before.rows ?? 0)} before, ${count(r.after.rows ?? 0)} after`;
    default:
      return rows === null ? "" : `rows not compared${many}`;
  }
}

function Interval({ page }: { page: Schemas["LinePage"] }) {
  const r = page.line.result;
  const t = r.time;
  if (!t) {
    return null;
  }
  if (t.low === null || t.high === null || t.confidence === null) {
    return (
      <p className="text-sm text-quiet">
        after / before {three(t.ratio)} in {t.blocks} block{t.blocks === 1 ? "" : "s"}: too few for an
        interval
      </p>
    );
  }
  const again = page.confirmation;
  const bandLow = page.bandLow ?? 1e-6;
  const far = Math.max(t.high, 1 / t.low, page.bandHigh, 1 / Math.max(bandLow, 1e-3));
  return (
    <figure>
      <IntervalBar
        low={t.low}
        high={t.high}
        centre={t.ratio}
        bandLow={bandLow}
        bandHigh={page.bandHigh}
        verdict={r.verdict}
        width={520}
        height={50}
        reach={Math.max(1.15, far ** 1.15)}
        labelled
      />
      <figcaption className="text-sm text-quiet">
        after / before {three(t.ratio)} (the pseudo-median of the blocks), between {three(t.low)} and{" "}
        {three(t.high)} with {three(t.confidence * 100)} % confidence, {t.blocks}{" "}
        <Word id="block">blocks</Word>
        {t.blocksLeftOut > 0 && `, ${t.blocksLeftOut} left out`}; the shaded <Word id="band">band</Word>{" "}
        counts as level
        {again &&
          `; second session: ${three(again.ratio)}${again.low !== null && again.high !== null ? `, between ${three(again.low)} and ${three(again.high)}` : ""}`}
      </figcaption>
    </figure>
  );
}

const counterNames: Record<string, string> = {
  statements: "statements sent",
  vmSteps: "engine steps",
  blocksTouched: "blocks touched",
  blocksRead: "blocks read",
  rowsProcessed: "rows processed",
  tempBlocks: "temporary blocks",
  walBytes: "bytes of log written",
  fullScanSteps: "rows stepped over in full scans",
  sorts: "sorts",
  autoIndexRows: "rows put into an index built for the query",
  pagesTouched: "pages touched",
  cacheSpills: "pages spilled from the cache",
};

function Numbers({ r }: { r: Schemas["ResultLine"] }) {
  /** A few readings one after the other are no comparison: of those no change is claimed. */
  const row = (
    label: ReactNode,
    key: string,
    before: number | null,
    after: number | null,
    show = three,
    compared = true,
  ) =>
    before === null && after === null ? null : (
      <tr key={key}>
        <th scope="row" className="font-normal! text-ink!">
          {label}
        </th>
        <td className="num">{before !== null && show(before)}</td>
        <td className="num">{after !== null && show(after)}</td>
        <td className="num text-quiet">
          {!compared || !before || !after ? "" : before === after ? "same" : ratio(after / before)}
        </td>
      </tr>
    );
  const counters = Object.keys({ ...r.before.counters, ...r.after.counters }).filter(
    (c) => (r.before.counters[c] ?? 0) + (r.after.counters[c] ?? 0) > 0,
  );
  return (
    <table className="ruled mt-2">
      <thead>
        <tr>
          <th scope="col">an execution</th>
          <SideHeads />
          <th scope="col" className="num">
            change
          </th>
        </tr>
      </thead>
      <tbody>
        {r.time && row("typical: medians put on the ratio, ms", "typical", r.time.beforeMs, r.time.afterMs)}
        {row("median, ms", "median", r.before.medianMs, r.after.medianMs)}
        {row("mean, ms", "mean", r.before.meanMs, r.after.meanMs)}
        {row("95th percentile of blocks, ms", "p95", r.before.p95Ms, r.after.p95Ms)}
        {row("CPU time, median, ms", "cpu", r.before.cpuMs, r.after.cpuMs)}
        {row(
          "in the server alone, ms",
          "server",
          r.before.serverMs ?? null,
          r.after.serverMs ?? null,
          three,
          false,
        )}
        {row("first on a fresh connection, ms", "cold", r.before.coldMs, r.after.coldMs, three, false)}
        {row("rows returned or changed", "rows", r.before.rows, r.after.rows, count)}
        {counters.map((c) =>
          row(counterNames[c] ?? c, c, r.before.counters[c] ?? null, r.after.counters[c] ?? null, count),
        )}
      </tbody>
    </table>
  );
}
