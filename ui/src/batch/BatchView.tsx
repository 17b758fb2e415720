import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useEffect, useMemo, useRef, useState } from "react";
import { goesOn, type Script, useRunScript, useScript, useScriptAction, useScripts } from "../api/batch";
import type { Schemas } from "../api/client";
import { useBook } from "../api/hooks";
import { count, duration, elapsed, moment, percent } from "../format/figures";
import { Ask } from "../parts/Ask";
import { BookLink, Frame } from "../parts/Frame";
import { EmptyState, Wrong } from "../parts/Notice";
import { useOneStop } from "../parts/oneStop";
import { Rows } from "../parts/Rows";
import { Page, Spread } from "../parts/Spread";
import { SqlEditor } from "../parts/SqlEditor";
import type { Choice } from "../plans/choice";
import { Findings } from "../plans/Findings";
import { PlanAccount } from "../plans/PlanAccount";

type Batch = Schemas["BatchView"];
type Statement = Schemas["BatchStatementView"];

const route = getRouteApi("/books/$bookId/batch");

/** A script run whole on a copy: which of its statements cost the most, and what it repeats. */
export function BatchView() {
  const id = Number(route.useParams().bookId);
  const { run, statement } = route.useSearch();
  const book = useBook(id);
  const page = useScript(id, run);
  const opened = page.data;
  return (
    <Frame
      title={book.data ? `Script${run ? ` ${run}` : ""}, ${book.data.book.name}` : undefined}
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {" / script"}
          {run && ` ${run}`}
        </>
      }
      of={run && !opened ? page : book}
      reading={run ? "Reading the script." : undefined}
    >
      {/* Another run brings its own text along. */}
      {(!run || opened) && (
        <Bench key={run ?? "new"} book={id} page={run ? opened : undefined} chosen={statement} />
      )}
    </Frame>
  );
}

function Bench({ book, page, chosen }: { book: number; page?: Script; chosen?: number }) {
  const navigate = useNavigate();
  const run = useRunScript(book);
  const act = useScriptAction(book);
  const [script, setScript] = useState(page?.script ?? "");
  const batch = page?.result ?? undefined;
  const seen = batch?.statements ?? page?.progress?.costliest ?? [];
  const statement = seen.find((s) => s.number === chosen) ?? (batch ? seen[0] : undefined);
  const line = page?.progress?.line ?? statement?.line;
  const place = useMemo(() => (line ? { line, column: 1, shown: true } : null), [line]);
  const open = (search: { run?: number; statement?: number }, replace = false) =>
    navigate({ to: "/books/$bookId/batch", params: { bookId: String(book) }, search, replace });
  const choose = (number: number) => open({ run: page?.id, statement: number }, true);
  const going = goesOn(page?.state);
  return (
    <Spread
      name="batch"
      left={
        <Page
          label="Script"
          head={
            <div className="flex items-baseline justify-between gap-3">
              <h1 className="head">What a script costs</h1>
              <span className="flex gap-2">
                {going && page && (
                  <button
                    type="button"
                    className="press"
                    onClick={() => act.mutate({ script: page.id, act: "cancel" })}
                  >
                    Cancel
                  </button>
                )}
                <button
                  type="button"
                  className="press main"
                  disabled={run.isPending || script.trim() === ""}
                  onClick={() => run.mutate(script, { onSuccess: (made) => open({ run: made.id }) })}
                >
                  {page && !going ? "Run it again" : "Run on a copy"}
                </button>
              </span>
            </div>
          }
        >
          <Wrong error={run.error ?? act.error} />
          <div className={batch?.blocks.some((b) => b.statement === null) ? "flex h-80 flex-col" : ""}>
            <SqlEditor label="Script" value={script} onChange={setScript} problems={[]} place={place} />
          </div>
          {batch && <Order batch={batch} chosen={statement?.number ?? null} choose={choose} />}
        </Page>
      }
      right={
        <Page
          label="Statements"
          head={
            <h2 className="head" aria-live="polite">
              {headOf(page)}
            </h2>
          }
        >
          {page && going && <Reached page={page} />}
          {page && !going && page.state !== "finished" && (
            <p role="alert" className="border-l-2 border-failed pl-2">
              {page.message}
            </p>
          )}
          {batch?.failure && (
            <p role="alert" className="border-l-2 border-failed pl-2 text-failed">
              Ended at statement {batch.failure.statement} of the script, line {batch.failure.line}:{" "}
              {batch.failure.message}
            </p>
          )}
          {batch && <Price batch={batch} />}
          {seen.length > 0 && (
            <Statements statements={seen} whole={batch} chosen={statement?.number ?? null} choose={choose} />
          )}
          {!page && (
            <EmptyState title="Paste a script">
              A migration, a nightly job or a report with all its statements. It runs on a private copy, once
              with everything counted and once without; the database itself is only read.
            </EmptyState>
          )}
          {statement && <Plans key={statement.number} statement={statement} />}
          <Runs book={book} shown={page?.id} open={(n) => open({ run: n })} />
        </Page>
      }
    />
  );
}

function headOf(page: Script | undefined): string {
  if (!page) {
    return "Statements, the costliest first";
  }
  switch (page.state) {
    case "waiting":
      return page.ahead > 0 ? `Waits for its turn, ${page.ahead} ahead of it` : "Waits for its turn";
    case "running":
      return page.behind ? "Waits until the trial that is being measured is over" : "Runs on a copy";
    case "finished":
      return page.result?.headline ?? "Finished";
    case "refused":
      return "Not run";
    default:
      return page.state === "cancelled" ? "Cancelled" : "Interrupted";
  }
}

/** Where the script is, told while it runs. */
function Reached({ page }: { page: Script }) {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, []);
  const p = page.progress;
  if (!p) {
    return (
      <p className="text-quiet">
        {page.state === "running" && !page.behind
          ? "Making the copy, or waiting for a measurement that was started elsewhere on this machine."
          : "One thing is measured at a time, so that none disturbs another. This page goes on by itself."}
      </p>
    );
  }
  return (
    <div className="mb-2">
      <div
        role="progressbar"
        aria-label="Statements of the script"
        aria-valuemin={0}
        aria-valuemax={p.of}
        aria-valuenow={p.statement}
        className="h-[5px] border border-strong"
      >
        <div
          className="h-full bg-ink"
          style={{ width: `${(100 * (p.statement - 1)) / Math.max(1, p.of)}%` }}
        />
      </div>
      <p>
        {p.counted ? "Statement" : "Once more, without counting: statement"} {count(p.statement)} of{" "}
        {count(p.of)}, line {count(p.line)}, for {duration(p.currentMilliseconds)}
      </p>
      <p className="text-sm text-quiet">
        {count(p.executions)} executed in {duration(p.milliseconds)}
        {page.startedAt && `; ${elapsed((now - Date.parse(page.startedAt)) / 1000)} since it began`}
      </p>
    </div>
  );
}

/** What counting cost: the times below were taken with it. */
function Price({ batch }: { batch: Batch }) {
  return (
    <p className="text-quiet">
      {batch.uncounted !== null
        ? `${duration(batch.milliseconds)} with everything counted, ${duration(batch.uncounted)} without, by the library that trials are timed with: the plans are of the first, what a statement takes by itself is in the column without.`
        : "It was not run a second time without counting: the times are higher than they would be without."}
    </p>
  );
}

/** What was run before, each with an address of its own. */
function Runs({ book, shown, open }: { book: number; shown?: number; open: (run: number) => void }) {
  const runs = useScripts(book);
  const act = useScriptAction(book);
  const all = runs.data ?? [];
  if (all.length === 0) {
    return <Wrong error={runs.error} />;
  }
  return (
    <section aria-label="Scripts run before">
      <h2 className="section">Scripts run on copies of this database</h2>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">when</th>
            <th scope="col">script</th>
            <th scope="col">
              <span className="sr-only">delete</span>
            </th>
          </tr>
        </thead>
        <Rows>
          {all.map((r) => (
            <tr key={r.id} className={r.id === shown ? "bg-chosen" : ""}>
              <td className="whitespace-nowrap text-quiet">{moment(r.createdAt)}</td>
              <td className="w-full">
                <Link
                  className="link font-mono text-sm"
                  to="/books/$bookId/batch"
                  params={{ bookId: String(book) }}
                  search={{ run: r.id }}
                  onClick={(e) => {
                    e.preventDefault();
                    open(r.id);
                  }}
                >
                  {r.begins}
                </Link>
                <div className="text-sm text-quiet">{r.headline ?? r.message ?? r.state}</div>
              </td>
              <td>
                {!goesOn(r.state) && r.id !== shown && (
                  <Ask
                    press="delete"
                    className="link text-quiet"
                    title={`Delete the run of ${moment(r.createdAt)}?`}
                    doing="Delete the run"
                    error={act.error}
                    pending={act.isPending}
                    act={(done) => act.mutate({ script: r.id, act: "delete" }, { onSuccess: done })}
                  >
                    With it go the script's text, its times and its plans. There is no way back.
                  </Ask>
                )}
              </td>
            </tr>
          ))}
        </Rows>
      </table>
    </section>
  );
}

type Choosing = { batch: Batch; chosen: number | null; choose: (number: number) => void };

function Statements(p: {
  statements: Statement[];
  /** The whole, where it has ended. */
  whole?: Batch;
  chosen: number | null;
  choose: (number: number) => void;
}) {
  const body = useRef<HTMLTableSectionElement>(null);
  useOneStop(body);
  const { whole } = p;
  const both = whole !== undefined && whole.uncounted !== null;
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col" className="num">
            share
          </th>
          <th scope="col" className="num">
            {both ? "counted" : "total"}
          </th>
          {both && (
            <th scope="col" className="num" title="all calls on another copy, nothing counted">
              without
            </th>
          )}
          <th scope="col" className="num">
            calls
          </th>
          <th scope="col" className="num" title="rows looked at, over all calls">
            visited
          </th>
          <th scope="col">statement</th>
        </tr>
      </thead>
      <tbody ref={body}>
        {p.statements.map((s) => (
          <tr key={s.number} className={s.number === p.chosen ? "bg-chosen" : ""}>
            <td className="num">{percent(s.share)}</td>
            <td className="num">{duration(s.milliseconds)}</td>
            {both && <td className="num">{s.uncounted !== null && duration(s.uncounted)}</td>}
            <td className="num">{count(s.calls)}</td>
            <td className="num">{s.rowsVisited > 0 && count(s.rowsVisited)}</td>
            <td className="w-full">
              <button
                type="button"
                aria-pressed={s.number === p.chosen}
                onClick={() => p.choose(s.number)}
                className="line-clamp-2 w-full cursor-pointer text-left font-mono text-sm [overflow-wrap:anywhere]"
              >
                <span className="text-quiet">{s.number}</span> {s.sql}
              </button>
            </td>
          </tr>
        ))}
        {whole && (
          <tr className="total">
            <td />
            <td className="num">{duration(whole.milliseconds)}</td>
            {both && <td className="num">{duration(whole.uncounted ?? 0)}</td>}
            <td className="num">{count(whole.executions)}</td>
            <td />
            <td>all</td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

/** The script in its order, loops as one line with their bodies below. */
function Order({ batch, chosen, choose }: Choosing) {
  if (!batch.blocks.some((b) => b.statement === null)) {
    return null;
  }
  return (
    <section aria-label="What it repeats">
      <h2 className="section">What it repeats</h2>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">in its order</th>
            <th scope="col" className="num">
              times
            </th>
            <th scope="col" className="num">
              share
            </th>
          </tr>
        </thead>
        <tbody>
          {batch.blocks.map((b, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: stretches of a script have no other name than their place.
            <tr key={i} className={b.statement !== null && b.statement === chosen ? "bg-chosen" : ""}>
              <td className="w-full" style={{ paddingLeft: `${Math.min(b.depth, 12) * 16}px` }}>
                {b.statement === null ? (
                  <strong>loop</strong>
                ) : (
                  <button type="button" className="link" onClick={() => choose(b.statement ?? 0)}>
                    statement {b.statement}
                  </button>
                )}
              </td>
              <td className="num">{count(b.times)}</td>
              <td className="num">
                {percent(batch.milliseconds > 0 ? b.milliseconds / batch.milliseconds : 0)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {batch.blocks.length < batch.blockCount && (
        <p className="text-quiet">and {count(batch.blockCount - batch.blocks.length)} more</p>
      )}
    </section>
  );
}

function Plans({ statement }: { statement: Statement }) {
  const [choice, choose] = useState<Choice>(null);
  return (
    <section aria-label={`Plan of statement ${statement.number}`}>
      <h2 className="section">
        Statement {statement.number}: {statement.plans.length > 1 ? "its plans" : "its plan"}
      </h2>
      <p className="text-quiet">
        line {count(statement.line)}; {duration(statement.milliseconds / statement.calls)} each,{" "}
        {duration(statement.slowest)} at most{statement.calls > 1 && "; counted at its first execution"}
      </p>
      {statement.plans.length === 0 && <p>This kind of statement has none.</p>}
      {statement.plans.map((p) => (
        <div key={p.plan.before?.shape} className="mt-2">
          {statement.plans.length > 1 && (
            <p>
              {count(p.calls)} calls, {duration(p.milliseconds)}
            </p>
          )}
          <PlanAccount comparison={p.plan} choice={choice} choose={choose} />
          <Findings
            findings={p.plan.before?.findings ?? []}
            side="before"
            choose={choose}
            none="Nothing stands out."
          />
        </div>
      ))}
    </section>
  );
}
