import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useDeleteNote } from "../api/book";
import type { Schemas } from "../api/client";
import { useKeep, useNote, useStatement, useTake } from "../api/daybook";
import { wordsOf } from "../daybook/LogEvents";
import { count, moment, percent, three } from "../format/figures";
import { Ask } from "../parts/Ask";
import { Exports } from "../parts/Exports";
import { BookLink, DaybookLink, Frame } from "../parts/Frame";
import { Wrong } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { PlanHistory } from "../plans/PlanHistoryView";
import { IndexesUsed } from "./IndexesUsed";
import { PlansSeen } from "./PlansSeen";
import { SampleCourse } from "./SampleCourse";
import { Samples } from "./Samples";
import { Story } from "./Story";

const route = getRouteApi("/books/$bookId/statements/$hash");

type Statement = Schemas["StatementPage"];

/** One pattern: its text and course on the left page; executions, tags, errors, days and notes on the right. */
export function StatementView() {
  const { bookId, hash } = route.useParams();
  const id = Number(bookId);
  const statement = useStatement(id, hash);
  const [chosen, choose] = useState<number | null>(null);
  const page = statement.data;
  return (
    <Frame
      title={page ? `${page.text.slice(0, 60)}, ${page.bookName}` : undefined}
      at={
        <>
          <BookLink id={bookId} name={page?.bookName} /> / <DaybookLink id={bookId} /> / Statement
        </>
      }
      of={statement}
      reading="Reading the statement."
    >
      {page && (
        <Spread
          name="statement"
          start={0.56}
          left={
            <Page label="Statement" head={<Head book={id} page={page} />}>
              <Sql text={page.text} label="Pattern" />
              <h2 className="section">
                Durations, ms{" "}
                <span className="font-normal text-quiet">
                  median to 95th percentile, and the executions that were kept
                </span>
              </h2>
              <SampleCourse
                course={page.course}
                samples={page.samples}
                deployments={page.deployments}
                minutes={page.stretchMinutes}
                chosen={chosen}
                choose={choose}
              />
              {page.lists && <p className="mt-2">{page.lists}</p>}
              <Story book={page.bookId} hash={page.hash} />
              <PlansSeen page={page} />
              <IndexesUsed book={page.bookId} hash={page.hash} />
              <PlanHistory book={page.bookId} hash={page.hash} />
              <h2 className="section">By day</h2>
              <Days page={page} />
            </Page>
          }
          right={
            <Page label="Executions">
              <h2 className="section mt-3 flex justify-between">
                Executions kept
                <Exports of="Executions" path={`/api/books/${id}/statements/${hash}/samples`} />
              </h2>
              {page.samples.length > 0 ? (
                <Samples samples={page.samples} chosen={chosen} choose={choose} />
              ) : (
                <p className="text-quiet">None was kept.</p>
              )}
              <Sources page={page} />
              {page.events.length > 0 && (
                <>
                  <h2 className="section">What the log tells besides</h2>
                  <ul>
                    {page.events.map((e) => (
                      <li key={e.kind}>{wordsOf(e)}</li>
                    ))}
                  </ul>
                </>
              )}
              <Errors page={page} />
              <Tags page={page} />
              <Notes book={id} page={page} />
            </Page>
          }
        />
      )}
    </Frame>
  );
}

function Head({ book, page }: { book: number; page: Statement }) {
  const take = useTake(book);
  const keep = useKeep(book);
  const navigate = useNavigate();
  const w = page.whole;
  return (
    <>
      <h1 className="head">
        {page.kind} {page.tables.join(", ")}
      </h1>
      {w && (
        <p>
          <strong>{three(w.seconds)} s</strong> in {count(w.calls)} {w.calls === 1 ? "call" : "calls"}: median{" "}
          {three(w.p50Ms ?? 0)} ms, 95 % under {three(w.p95Ms ?? 0)} ms, 99 % under {three(w.p99Ms ?? 0)} ms,
          worst {three(w.worstMs ?? 0)} ms
          {w.rowsRead !== null && w.rowsReturned !== null && (
            <>; {three(w.rowsRead / Math.max(1, w.rowsReturned))} rows read per row returned</>
          )}
          {w.errors > 0 && <span className="text-failed">; {count(w.errors)} failed</span>}
        </p>
      )}
      <div className="mt-2 flex items-baseline gap-2">
        <button
          type="button"
          className="press main"
          disabled={take.isPending}
          onClick={() =>
            take.mutate([page.hash], { onSuccess: () => navigate({ to: "/new", search: { book } }) })
          }
        >
          {page.inWorkload ? "To a trial of the workload" : "Take into the workload"}
        </button>
        <button
          type="button"
          className="press"
          aria-pressed={page.keptAtTop}
          onClick={() => keep.mutate({ hash: page.hash, atTop: !page.keptAtTop })}
        >
          {page.keptAtTop ? "Kept at the top" : "Keep at the top"}
        </button>
        <Link
          className="press"
          to="/books/$bookId/rehearsals"
          params={{ bookId: String(book) }}
          search={{ hashes: page.hash }}
        >
          Rehearse
        </Link>
        <span className="text-sm text-quiet">{page.hash}</span>
      </div>
      <Wrong error={take.error ?? keep.error} />
    </>
  );
}

function Days({ page }: { page: Statement }) {
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col">day</th>
          {["calls", "total, s", "median, ms", "p95, ms", "p99, ms", "worst, ms", "failed"].map((h) => (
            <th key={h} scope="col" className="num">
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {page.byDay.map((d) => (
          <tr key={d.at}>
            <td>{d.at.slice(0, 10)}</td>
            <td className="num">{count(d.calls)}</td>
            <td className="num">{three(d.seconds)}</td>
            {[d.p50Ms, d.p95Ms, d.p99Ms, d.worstMs].map((v, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: the columns never move.
              <td key={i} className="num">
                {v === null ? "" : three(v)}
              </td>
            ))}
            <td className={`num ${d.errors > 0 ? "text-failed" : ""}`}>
              {d.errors > 0 ? count(d.errors) : ""}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Sources({ page }: { page: Statement }) {
  if (page.sources.length < 2) {
    return null;
  }
  const calls = page.sources.reduce((n, s) => n + s.calls, 0);
  return (
    <>
      <h2 className="section">Sources</h2>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">source</th>
            {["share of calls", "calls", "total, s", "p95, ms", "failed"].map((h) => (
              <th key={h} scope="col" className="num">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {page.sources.map((s) => (
            <tr key={s.name}>
              <th scope="row">{s.name}</th>
              <td className="num">{percent(s.calls / Math.max(1, calls))}</td>
              <td className="num">{count(s.calls)}</td>
              <td className="num">{three(s.seconds)}</td>
              <td className="num">{s.p95Ms === null ? "" : three(s.p95Ms)}</td>
              <td className="num">{s.errors > 0 ? count(s.errors) : ""}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Errors({ page }: { page: Statement }) {
  if (page.errors.length === 0) {
    return null;
  }
  return (
    <>
      <h2 className="section">Errors</h2>
      <table className="ruled">
        <tbody>
          {page.errors.map((e) => (
            <tr key={e.code}>
              <th scope="row">{e.code}</th>
              <td className="num">{count(e.calls)}</td>
              <td>
                between {moment(e.first)} and {moment(e.last)}, by hours
                {e.retried > 0 && `; ${count(e.retried)} tried again`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Tags({ page }: { page: Statement }) {
  if (page.tags.length === 0) {
    return null;
  }
  const calls = Math.max(1, page.whole?.calls ?? 1);
  return (
    <>
      <h2 className="section">Tags</h2>
      <table className="ruled">
        <tbody>
          {page.tags.map((t) => (
            <tr key={`${t.key}=${t.value}`}>
              <th scope="row">{t.key}</th>
              <td>{t.value}</td>
              <td className="num">{percent(Math.min(1, t.calls / calls))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function Notes({ book, page }: { book: number; page: Statement }) {
  const note = useNote(book, page.hash);
  const [text, setText] = useState("");
  return (
    <>
      <h2 className="section">Notes</h2>
      {page.notes.map((n) => (
        <p key={n.id} className="mb-1 whitespace-pre-wrap">
          <span className="text-quiet">{moment(n.writtenAt)}</span> {n.text}{" "}
          <DeleteNote book={book} hash={page.hash} note={n} />
        </p>
      ))}
      <form
        onSubmit={(e) => {
          e.preventDefault();
          note.mutate(text, { onSuccess: () => setText("") });
        }}
      >
        <label className="sr-only" htmlFor="note">
          A note on this statement
        </label>
        <textarea
          id="note"
          rows={2}
          className="field w-full"
          placeholder="what others should know about this statement"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <button type="submit" className="press mt-1" disabled={note.isPending || text.trim() === ""}>
          Write it down
        </button>
        <Wrong error={note.error} />
      </form>
    </>
  );
}

function DeleteNote({ book, hash, note }: { book: number; hash: string; note: Statement["notes"][number] }) {
  const gone = useDeleteNote(book, hash, note.id);
  return (
    <Ask
      press="delete"
      className="link text-sm text-quiet"
      title="Delete this note?"
      doing="Delete the note"
      error={gone.error}
      pending={gone.isPending}
      act={(done) => gone.mutate(undefined, { onSuccess: done })}
    >
      <q className="line-clamp-4">{note.text}</q> There is no way back.
    </Ask>
  );
}
