import { useParams } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { useBatch } from "../api/batch";
import type { Schemas } from "../api/client";
import { useBook } from "../api/hooks";
import { count, duration, percent } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { EmptyState, Wrong } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { SqlEditor } from "../parts/SqlEditor";
import type { Choice } from "../plans/choice";
import { Findings } from "../plans/Findings";
import { PlanAccount } from "../plans/PlanAccount";

type Batch = Schemas["BatchView"];
type Statement = Schemas["BatchStatementView"];

/** A script run whole on a copy: which of its statements cost the most, and what it repeats. */
export function BatchView() {
  const id = Number(useParams({ strict: false }).bookId);
  const book = useBook(id);
  const run = useBatch(id);
  const [script, setScript] = useState("");
  const [chosen, choose] = useState<number | null>(null);
  const batch = run.data;
  const statement = batch?.statements.find((s) => s.number === chosen) ?? batch?.statements[0];
  const line = statement?.line;
  const place = useMemo(() => (line ? { line, column: 1, shown: true } : null), [line]);
  return (
    <Frame
      title={book.data ? `Script, ${book.data.book.name}` : undefined}
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {" / "}script
        </>
      }
      of={book}
    >
      <Spread
        name="batch"
        left={
          <Page
            label="Script"
            head={
              <div className="flex items-baseline justify-between gap-3">
                <h1 className="head">What a script costs</h1>
                <button
                  type="button"
                  className="press main"
                  disabled={run.isPending || script.trim() === ""}
                  onClick={() => {
                    choose(null);
                    run.mutate(script);
                  }}
                >
                  {run.isPending ? "Running" : "Run on a copy"}
                </button>
              </div>
            }
          >
            <Wrong error={run.error} />
            <div className={batch?.blocks.some((b) => b.statement === null) ? "flex h-80 flex-col" : ""}>
              <SqlEditor label="Script" value={script} onChange={setScript} problems={[]} place={place} />
            </div>
            {batch && <Order batch={batch} chosen={statement?.number ?? null} choose={choose} />}
          </Page>
        }
        right={
          <Page label="Statements" head={<h2 className="head">{headOf(batch, run.isPending)}</h2>}>
            {batch?.failure && (
              <p role="alert" className="border-l-2 border-failed pl-2 text-failed">
                Ended at statement {batch.failure.statement} of the script, line {batch.failure.line}:{" "}
                {batch.failure.message}
              </p>
            )}
            {batch ? (
              <Statements batch={batch} chosen={statement?.number ?? null} choose={choose} />
            ) : (
              !run.isPending && (
                <EmptyState title="No script was run yet">
                  Paste a migration, a nightly job or a report with all its statements. It runs once, on a
                  private copy, with everything counted; the database itself is only read.
                </EmptyState>
              )
            )}
            {statement && <Plans key={statement.number} statement={statement} />}
          </Page>
        }
      />
    </Frame>
  );
}

const headOf = (batch: Batch | undefined, running: boolean) =>
  running ? "Running the script on a copy" : (batch?.headline ?? "Statements, the costliest first");

type Choosing = { batch: Batch; chosen: number | null; choose: (number: number) => void };

function Statements({ batch, chosen, choose }: Choosing) {
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col" className="num">
            share
          </th>
          <th scope="col" className="num">
            total
          </th>
          <th scope="col" className="num">
            calls
          </th>
          <th scope="col" className="num" title="rows looked at, over all calls">
            visited
          </th>
          <th scope="col">statement</th>
        </tr>
      </thead>
      <tbody>
        {batch.statements.map((s) => (
          <tr key={s.number} className={s.number === chosen ? "bg-chosen" : ""}>
            <td className="num">{percent(s.share)}</td>
            <td className="num">{duration(s.milliseconds)}</td>
            <td className="num">{count(s.calls)}</td>
            <td className="num">{s.rowsVisited > 0 && count(s.rowsVisited)}</td>
            <td className="w-full">
              <button
                type="button"
                aria-pressed={s.number === chosen}
                onClick={() => choose(s.number)}
                className="line-clamp-2 w-full cursor-pointer text-left font-mono text-sm [overflow-wrap:anywhere]"
              >
                <span className="text-quiet">{s.number}</span> {s.sql}
              </button>
            </td>
          </tr>
        ))}
        <tr className="total">
          <td />
          <td className="num">{duration(batch.milliseconds)}</td>
          <td className="num">{count(batch.executions)}</td>
          <td />
          <td>all</td>
        </tr>
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
        {duration(statement.slowest)} at most
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
