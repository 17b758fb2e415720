import { getRouteApi, Link } from "@tanstack/react-router";
import { useState } from "react";
import { type Entry, useCourses, useEntry, useEntryAct } from "../api/entries";
import { useBook } from "../api/hooks";
import { count, moment, ratio, three } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { VerdictMark } from "../parts/Mark";
import { Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { Page, Spread } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { Author, useAuthor } from "./Author";
import { perDay } from "./Entries";
import { PromiseBar } from "./PromiseBar";
import { PromiseCourse } from "./PromiseCourse";
import { stateOf, verdictOf, WordMark } from "./words";

const route = getRouteApi("/books/$bookId/entries/$number");

/** An entry: what is changed and by whom on the left page, what was promised and what came of it on the right. */
export function EntryView() {
  const params = route.useParams();
  const [id, number] = [Number(params.bookId), Number(params.number)];
  const book = useBook(id);
  const entry = useEntry(id, number);
  const e = entry.data;
  return (
    <Frame
      title={e ? `${e.title}, entry ${number}` : undefined}
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {" / entry "}
          {number}
        </>
      }
      of={entry}
      reading="Reading the entry."
    >
      {e && (
        <Spread
          name="entry"
          start={0.38}
          left={
            <Page
              label="Entry"
              head={
                <>
                  <h1 className="head">{e.title}</h1>
                  <p className="text-quiet">
                    {e.author}, {moment(e.at)}: {stateOf(e.state)}
                  </p>
                </>
              }
            >
              <Said book={id} entry={e} />
            </Page>
          }
          right={
            <Page label="Promise" head={<h2 className="head">{headOf(e)}</h2>}>
              <Promises book={id} entry={e} />
            </Page>
          }
        />
      )}
    </Frame>
  );
}

function headOf(e: Entry): string {
  if (e.state === "withdrawn") {
    return "Withdrawn";
  }
  if (e.outcomeHeadline) {
    return e.isPosted ? e.outcomeHeadline : `So far: ${e.outcomeHeadline}`;
  }
  return e.deployment ? "Live: the daybook has nothing of it yet" : "Not live yet: this is what it promises";
}

function Said({ book, entry: e }: { book: number; entry: Entry }) {
  return (
    <>
      {e.altered && (
        <p role="alert" className="mb-2 border-failed border-l-2 pl-2 text-failed">
          {e.altered}
        </p>
      )}
      {e.reason && <p className="whitespace-pre-wrap">{e.reason}</p>}
      {e.links.map((l) => (
        <p key={l}>
          {/^https?:\/\//.test(l) ? (
            <a className="link" href={l} rel="noreferrer">
              {l}
            </a>
          ) : (
            l
          )}
        </p>
      ))}
      <p className="mt-2">
        Measured by{" "}
        {e.trial ? (
          <Link className="link" to="/trials/$trialId" params={{ trialId: String(e.trial) }}>
            trial {e.trial}
          </Link>
        ) : (
          <Link
            className="link"
            to="/books/$bookId/rehearsals"
            params={{ bookId: String(book) }}
            search={{ run: e.rehearsal ?? undefined }}
          >
            rehearsal {e.rehearsal}
          </Link>
        )}
        : {e.headline}
      </p>
      {e.change.trim() && (
        <>
          <h2 className="section">Change</h2>
          <Sql text={e.change} label="Change" />
        </>
      )}
      <h2 className="section">What was posted about it</h2>
      <ol>
        {e.later.map((l) => (
          <li key={l.number} className="border-rule border-t py-1 first:border-0">
            <span className="text-quiet">
              {l.number}, {moment(l.at)}, {l.author}:
            </span>{" "}
            <b>{l.state === "deployed" ? "live" : l.state}</b>
            {l.deployment && ` since ${moment(l.deployment.at)} ${l.deployment.version}`}
            {l.reason && `. ${l.reason}`}
            {l.headline && ` ${l.headline}`}
          </li>
        ))}
        {e.later.length === 0 && <li className="text-quiet">Nothing yet.</li>}
      </ol>
      {e.candidate && (
        <p className="mt-2 border-unsettled border-l-2 pl-2">
          The deployment of {moment(e.candidate.at)} {e.candidate.version} holds this change, and another
          entry waits for the same one: say which of them it was.
        </p>
      )}
      <Act book={book} entry={e} />
      <p className="mt-4 break-all text-quiet text-sm">
        Sealed: SHA-256 {e.digest}
        {e.previous ? `, behind ${e.previous}` : ", the first of its book"}
      </p>
    </>
  );
}

type What = "deployed" | "withdrawn" | "corrected";

/** What can be said of an entry: each is an entry of its own, and nothing is edited. */
function Act({ book, entry }: { book: number; entry: Entry }) {
  const act = useEntryAct(book, entry.number);
  const [author, setAuthor] = useAuthor();
  const [what, setWhat] = useState<What>();
  const [reason, setReason] = useState("");
  const [at, setAt] = useState("");
  const [version, setVersion] = useState("");
  const ways: [What, string][] = [
    ["deployed", entry.deployment ? "It was deployed anew" : "It is live"],
    ["withdrawn", "Withdraw it"],
    ["corrected", "Add a correction"],
  ];
  return (
    <div className="mt-3">
      <div className="flex flex-wrap gap-2">
        {ways
          .filter(([w]) => entry.state !== "withdrawn" || w === "corrected")
          .map(([w, text]) => (
            <button
              key={w}
              type="button"
              className="press"
              aria-expanded={what === w}
              onClick={() => setWhat(what === w ? undefined : w)}
            >
              {text}
            </button>
          ))}
      </div>
      {what && (
        <form
          className="mt-2 flex flex-col gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            act.mutate(
              { state: what, author, reason, at: at || null, version: version || null },
              {
                onSuccess: () => {
                  setWhat(undefined);
                  setReason("");
                },
              },
            );
          }}
        >
          <Author author={author} set={setAuthor} />
          {what === "deployed" && (
            <div className="flex flex-wrap gap-3">
              <label className="flex items-baseline gap-2">
                Since, UTC
                <input
                  className="field w-56"
                  placeholder="now"
                  value={at}
                  onChange={(e) => setAt(e.target.value)}
                />
              </label>
              <label className="flex items-baseline gap-2">
                Version
                <input className="field w-24" value={version} onChange={(e) => setVersion(e.target.value)} />
              </label>
            </div>
          )}
          <label className="flex flex-col">
            {what === "corrected" ? "What is to be known" : "Why, in a few words"}
            <textarea
              className="field"
              rows={2}
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              required={what !== "deployed"}
            />
          </label>
          <button type="submit" className="press main self-start" disabled={act.isPending}>
            Post it
          </button>
        </form>
      )}
      <Wrong error={act.error} />
    </div>
  );
}

function Promises({ book, entry: e }: { book: number; entry: Entry }) {
  const outcomes = e.outcome?.outcomes ?? [];
  const known = new Map(outcomes.map((o) => [o.promise.pattern, o]));
  const rows = e.promises.map((p) => ({ p, o: known.get(p.pattern) }));
  // What matters stands first: what was broken, then what was to change, then what was to stay.
  const rank = (r: (typeof rows)[number]) =>
    ["notForeseen", "notKept", "keptInPart", "kept", "cannotTellYet"].indexOf(r.o?.word ?? "cannotTellYet") +
    (r.p.direction === "level" ? 10 : 0) -
    (r.o?.word === "notForeseen" ? 20 : 0);
  rows.sort((a, b) => rank(a) - rank(b));
  const [all, setAll] = useState(false);
  const few = rows.filter((r) => r.p.direction !== "level" || (r.o && r.o.word === "notForeseen"));
  const shown = all || few.length === 0 ? rows : few;
  const reach = Math.min(
    1e4,
    Math.max(
      1.5,
      ...rows.flatMap(({ p, o }) => [p.high, 1 / p.low, ...(o?.low && o.high ? [o.high, 1 / o.low] : [])]),
    ),
  );
  return (
    <>
      {e.outcome && (
        <p className="mb-2 text-quiet">
          Observed {moment(e.outcome.from)} to {moment(e.outcome.to)}
          {e.outcome.beside.length > 0 && `; beside it: ${e.outcome.beside.join("; ")}`}.
        </p>
      )}
      {!e.outcome && e.bill && (
        <p className="mb-2">
          The bill: {three(e.bill.before)} to {three(e.bill.after)} database-seconds a day (
          {perDay(e.bill.changeLow)} to {perDay(e.bill.changeHigh)}).
        </p>
      )}
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">statement</th>
            <th scope="col">promised</th>
            <th scope="col">
              <span className="sr-only">promised and observed interval</span>
            </th>
            <th scope="col">{e.outcome ? "what came" : "accepted because"}</th>
            {e.outcome && (
              <th scope="col" className="num">
                promised, came a day
              </th>
            )}
          </tr>
        </thead>
        <Rows>
          {shown.map(({ p, o }) => (
            <tr key={p.pattern}>
              <td>
                <Link
                  className="link"
                  to="/books/$bookId/statements/$hash"
                  params={{ bookId: String(book), hash: p.patternAfter ?? p.pattern }}
                >
                  {p.statement}
                </Link>
              </td>
              <td className="whitespace-nowrap">
                <VerdictMark verdict={verdictOf(p.direction)} />{" "}
                {p.direction !== "level" && <span className="text-quiet">{ratio(p.ratio)}</span>}
              </td>
              <td>
                <PromiseBar
                  promised={p}
                  seen={
                    o?.ratio && o.low && o.high ? { low: o.low, high: o.high, centre: o.ratio } : undefined
                  }
                  reach={reach}
                  width={120}
                />
              </td>
              <td>
                {o ? (
                  <>
                    <WordMark word={o.word ?? "cannotTellYet"} />
                    {o.share !== null && o.word === "keptInPart" && ` ${three(100 * o.share)} % of it`}
                    {o.ratio !== null && (
                      <span className="text-quiet">
                        {" "}
                        {ratio(o.ratio)}, {count(Math.round(o.callsAfter))} calls a day
                      </span>
                    )}
                    <div className="text-quiet text-sm">{o.message}</div>
                  </>
                ) : (
                  p.accepted
                )}
              </td>
              {e.outcome && (
                <td className="num text-sm">
                  {o && o.word !== "cannotTellYet" && (
                    <>
                      <div className="whitespace-nowrap text-quiet">{perDay(o.promisedPerDay)}</div>
                      <div className="whitespace-nowrap">{perDay(o.observedPerDay)}</div>
                    </>
                  )}
                </td>
              )}
            </tr>
          ))}
        </Rows>
      </table>
      {shown.length < rows.length && (
        <button type="button" className="link mt-1" onClick={() => setAll(true)}>
          and {count(rows.length - shown.length)} that were to stay level
        </button>
      )}
      <Courses book={book} entry={e} />
      {(e.outcome?.others.length ?? 0) > 0 && (
        <section aria-label="Not promised">
          <h3 className="section">Moved, and nothing was said of it</h3>
          <table className="ruled">
            <thead>
              <tr>
                <th scope="col">statement</th>
                <th scope="col">since then</th>
                <th scope="col" className="num">
                  a day
                </th>
              </tr>
            </thead>
            <Rows>
              {e.outcome?.others.map((u) => (
                <tr key={u.pattern}>
                  <td className="w-full">
                    <Link
                      className="link line-clamp-2 font-mono text-sm"
                      to="/books/$bookId/statements/$hash"
                      params={{ bookId: String(book), hash: u.pattern }}
                    >
                      {u.text}
                    </Link>
                  </td>
                  <td className="whitespace-nowrap">
                    <VerdictMark verdict={u.dearer ? "regressed" : "improved"} /> {ratio(u.ratio)}
                  </td>
                  <td className="num whitespace-nowrap">{perDay(u.changePerDay)}</td>
                </tr>
              ))}
            </Rows>
          </table>
        </section>
      )}
    </>
  );
}

/** What was to change, as it went: each statement around its deployment, with the promise drawn in. */
function Courses({ book, entry }: { book: number; entry: Entry }) {
  const courses = useCourses(book, entry.number, entry.deployment !== null, entry.state === "deployed");
  const known = courses.data?.courses.filter((c) => c.points.length > 0) ?? [];
  if (!courses.data?.deployedAt || known.length === 0) {
    return <Wrong error={courses.error} />;
  }
  const deployed = courses.data.deployedAt;
  return (
    <section aria-label="Courses">
      <h3 className="section">As it went</h3>
      {known.map((c) => (
        <PromiseCourse key={c.pattern} course={c} deployed={deployed} />
      ))}
    </section>
  );
}
