import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import {
  useEndWatch,
  useWatch,
  useWatches,
  type Watch,
  type WatchNarrowing,
  type WatchPage,
} from "../api/watch";
import { clock, count, duration, elapsed, moment, percent, three } from "../format/figures";
import { BookLink, DaybookLink, Frame } from "../parts/Frame";
import { EmptyState, Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { Page, Spread } from "../parts/Spread";
import { wordOf } from "./kinds";
import { LoadRows } from "./LoadRows";
import { Moments } from "./Moments";

/** One look a second; the server takes no more. */
const lookEveryMs = 1000;

/** What a server's sessions did and waited for while it was watched. */
export function WatchView() {
  const params = useParams({ strict: false });
  const book = Number(params.bookId);
  const id = Number(params.watchId);
  const search = useSearch({ strict: false }) as WatchNarrowing;
  const navigate = useNavigate();
  const watch = useWatch(book, id, search);
  const set = (part: WatchNarrowing) =>
    navigate({
      to: "/books/$bookId/watches/$watchId",
      params: { bookId: String(book), watchId: String(id) },
      search: { ...search, ...part },
      replace: true,
    });
  const end = useEndWatch(book);
  const [chosen, choose] = useState<number | null>(null);
  const page = watch.data;
  return (
    <Frame
      title={page ? `Watch of ${page.bookName}` : undefined}
      at={
        <>
          <BookLink id={book} name={page?.bookName} />
          {" / "}
          <DaybookLink id={book} />
          {" / Watch"}
        </>
      }
      of={watch}
      reading="Reading the watch."
    >
      {page && (
        <>
          <div className="shrink-0 px-5 pt-3 pb-2">
            <div className="flex items-baseline justify-between gap-3">
              <h1 className="head">{headOf(page)}</h1>
              {page.watch.state === "running" && (
                <button type="button" className="press" disabled={end.isPending} onClick={() => end.mutate()}>
                  End the watch
                </button>
              )}
            </div>
            <Wrong error={end.error} />
            <p className="mb-2 text-quiet">{aboutOf(page.watch)}</p>
            <LoadRows
              page={page}
              span={search.from && search.to ? { from: search.from, to: search.to } : undefined}
              select={(span) => set({ from: span?.from, to: span?.to })}
            />
            <Narrowed page={page} search={search} set={set} />
            <Beside book={book} page={page} others={search.beside} set={set} />
          </div>
          <div className="flex min-h-0 flex-1 border-t border-ink">
            <Spread
              name="watch"
              left={
                <Page label="Statements seen active" head={<h2 className="head">Statements seen active</h2>}>
                  <Patterns page={page} chosen={search.pattern} choose={(pattern) => set({ pattern })} />
                  <Did page={page} />
                  <Sessions page={page} chosen={search.session} choose={(session) => set({ session })} />
                </Page>
              }
              right={
                <Page label="Kept moments" head={<h2 className="head">Kept moments</h2>}>
                  {page.moments.length === 0 ? (
                    <EmptyState
                      title={
                        page.watch.state === "running"
                          ? "Nothing has piled up yet, and nobody waits for another"
                          : "Nothing piled up, and nobody waited for another"
                      }
                    >
                      A look is kept whole when {page.watch.pileUp} sessions are active at once, or when one
                      begins to wait for another.
                    </EmptyState>
                  ) : (
                    <Moments moments={page.moments} chosen={chosen ?? busiest(page)} choose={choose} />
                  )}
                </Page>
              }
            />
          </div>
        </>
      )}
    </Frame>
  );
}

/** What of the watch is shown, and the way back to all of it. */
function Narrowed({
  page,
  search,
  set,
}: {
  page: WatchPage;
  search: WatchNarrowing;
  set: (to: WatchNarrowing) => void;
}) {
  const session = page.sessions.find((s) => s.id === search.session);
  const pattern = page.patterns.find((p) => p.pattern === search.pattern);
  if (!search.from && !search.session && !search.pattern) {
    return null;
  }
  return (
    <p className="flex flex-wrap gap-x-3 text-sm">
      {search.from && search.to && (
        <span>
          {clock(search.from)} to {clock(search.to)}
        </span>
      )}
      {search.session && <span>session {session?.number ?? search.session} alone</span>}
      {search.pattern && (
        <span className="max-w-[60ch] truncate">who sent {pattern?.sql ?? "a statement not seen there"}</span>
      )}
      <button
        type="button"
        className="link"
        onClick={() => set({ from: undefined, to: undefined, session: undefined, pattern: undefined })}
      >
        the whole watch
      </button>
    </p>
  );
}

/** Sessions that were seen active; one of them shows all that it did. */
function Sessions({
  page,
  chosen,
  choose,
}: {
  page: WatchPage;
  chosen?: number;
  choose: (session?: number) => void;
}) {
  if (page.sessions.length === 0) {
    return page.course.length === 0 ? null : (
      <p className="mt-3 text-quiet">
        Which session did what was not kept of this watch, or not in this span.
      </p>
    );
  }
  return (
    <>
      <h3 className="section">Sessions seen active</h3>
      <table className="ruled w-full">
        <thead>
          <tr>
            <th scope="col" className="num w-16">
              share
            </th>
            <th scope="col" className="num w-16">
              looks
            </th>
            <th scope="col">session, and what it waited for</th>
            <th scope="col">seen</th>
          </tr>
        </thead>
        <Rows>
          {page.sessions.map((s) => (
            <tr key={s.id} className={s.id === chosen ? "bg-chosen" : ""}>
              <td className="num">{percent(s.share)}</td>
              <td className="num">{count(s.seen)}</td>
              <td className="w-full">
                <button
                  type="button"
                  className="link text-left"
                  aria-pressed={s.id === chosen}
                  onClick={() => choose(s.id === chosen ? undefined : s.id)}
                >
                  {s.number} {s.user} {s.application}
                </button>{" "}
                <span className="text-sm text-quiet">{kindsOf(s.kinds, page.kinds)}</span>
              </td>
              <td className="whitespace-nowrap text-sm text-quiet">
                {clock(s.first)} to {clock(s.last)}
              </td>
            </tr>
          ))}
        </Rows>
      </table>
      {page.sessionCount > page.sessions.length && (
        <p className="text-quiet">{count(page.sessionCount - page.sessions.length)} more were seen less.</p>
      )}
    </>
  );
}

/** One session's time, one thing after the other. */
function Did({ page }: { page: WatchPage }) {
  if (page.did.length === 0) {
    return null;
  }
  return (
    <>
      <h3 className="section">What it did, in order</h3>
      <table className="ruled w-full">
        <thead>
          <tr>
            <th scope="col">when</th>
            <th scope="col" className="num">
              looks
            </th>
            <th scope="col">statement</th>
            <th scope="col">waited for</th>
          </tr>
        </thead>
        <tbody>
          {page.did.map((d) => (
            <tr key={`${d.from}/${d.pattern}/${d.kind}`}>
              <td className="whitespace-nowrap">
                {clock(d.from)} to {clock(d.to)}
              </td>
              <td className="num">{count(d.looks)}</td>
              <td className="w-full">
                <code className="line-clamp-2 break-words text-sm">{d.sql}</code>
              </td>
              <td className="whitespace-nowrap">{d.kind === "running" ? "" : wordOf(d.kind)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

const kindsOf = (shares: number[], kinds: string[]) =>
  shares
    .map((share, i) => ({ share, kind: kinds[i] ?? "" }))
    .filter((k) => k.share > 0)
    .sort((a, b) => b.share - a.share)
    .map((k) => `${wordOf(k.kind)} ${percent(k.share)}`)
    .join(", ");

/** Other watches of the book below this one, from their beginnings on and on one scale. */
function Beside({
  book,
  page,
  others,
  set,
}: {
  book: number;
  page: WatchPage;
  others?: string;
  set: (to: WatchNarrowing) => void;
}) {
  const watches = useWatches(book).data?.watches ?? [];
  const chosen = (others ?? "")
    .split(",")
    .map(Number)
    .filter((n) => n > 0 && n !== page.watch.id);
  const left = watches.filter((w) => w.id !== page.watch.id && !chosen.includes(w.id));
  if (chosen.length === 0 && left.length === 0) {
    return null;
  }
  return (
    <>
      {left.length > 0 && (
        <label className="text-sm text-quiet">
          beside it{" "}
          <select
            className="field py-0 text-ink"
            value=""
            onChange={(e) => set({ beside: [...chosen, Number(e.target.value)].join(",") })}
          >
            <option value="">another watch</option>
            {left.map((w) => (
              <option key={w.id} value={w.id}>
                {moment(w.beganAt)}, {three(w.active)} active
              </option>
            ))}
          </select>
        </label>
      )}
      {chosen.map((id) => (
        <OtherWatch
          key={id}
          book={book}
          watch={id}
          beside={page}
          gone={() => set({ beside: chosen.filter((c) => c !== id).join(",") || undefined })}
        />
      ))}
    </>
  );
}

function OtherWatch(p: { book: number; watch: number; beside: WatchPage; gone: () => void }) {
  const { data: page, error } = useWatch(p.book, p.watch);
  if (!page) {
    return <Wrong error={error} />;
  }
  const most = (of: WatchPage) => Math.max(...of.course.map((c) => c.active), 1e-9);
  const lasts = (of: WatchPage) => of.course.length * of.pointSeconds;
  return (
    <section aria-label={`Watch of ${moment(page.watch.beganAt)}`} className="mt-2 max-h-56 overflow-y-auto">
      <p className="flex gap-3 text-sm">
        <Link
          className="link"
          to="/books/$bookId/watches/$watchId"
          params={{ bookId: String(p.book), watchId: String(p.watch) }}
        >
          {moment(page.watch.beganAt)}
        </Link>
        <span className="text-quiet">
          {headOf(page)}; drawn on the scale of the higher and longer of the two
        </span>
        <button type="button" className="link ml-auto" onClick={p.gone}>
          take away
        </button>
      </p>
      <LoadRows
        page={page}
        scale={Math.max(most(page), most(p.beside))}
        seconds={Math.max(lasts(page), lasts(p.beside))}
      />
    </section>
  );
}

function Patterns({
  page,
  chosen,
  choose,
}: {
  page: WatchPage;
  chosen?: string;
  choose: (pattern?: string) => void;
}) {
  if (page.patterns.length === 0) {
    return (
      <p className="text-quiet">
        {page.course.length === 0 ? "None yet." : "No session was active at any look."}
      </p>
    );
  }
  return (
    <>
      <table className="ruled w-full">
        <thead>
          <tr>
            <th scope="col" className="num w-16">
              share
            </th>
            <th scope="col" className="num w-16">
              looks
            </th>
            <th scope="col">statement, and where its time goes</th>
          </tr>
        </thead>
        <Rows>
          {page.patterns.map((p) => (
            <tr key={p.pattern} className={p.pattern === chosen ? "bg-chosen" : ""}>
              <td className="num align-top">{percent(p.share)}</td>
              <td className="num align-top">{count(p.seen)}</td>
              <td>
                <button
                  type="button"
                  className="block w-full cursor-pointer text-left hover:underline"
                  title="Show who sent it"
                  aria-pressed={p.pattern === chosen}
                  onClick={() => choose(p.pattern === chosen ? undefined : p.pattern)}
                >
                  <code className="line-clamp-2 break-words text-sm">{p.sql}</code>
                </button>
                <span className="text-sm text-quiet">{kindsOf(p.kinds, page.kinds)}</span>
              </td>
            </tr>
          ))}
        </Rows>
      </table>
      {page.patternCount > page.patterns.length && (
        <p className="text-quiet">{count(page.patternCount - page.patterns.length)} more were seen less.</p>
      )}
    </>
  );
}

/** What the load was made of, at first glance. */
function headOf(page: WatchPage): string {
  const { watch, kinds, course } = page;
  if (course.length === 0) {
    return watch.state === "running" ? "Looking" : "Nothing was seen";
  }
  if (watch.active === 0) {
    return "No session was active";
  }
  const first = kinds[0];
  const part =
    course.reduce((sum, p) => sum + (p.kinds[0] ?? 0), 0) / course.reduce((sum, p) => sum + p.active, 0);
  return `${three(watch.active)} sessions active on average, ${percent(part)} of that ${first === "running" ? "on a processor" : `waiting for ${wordOf(first ?? "")}`}`;
}

function aboutOf(w: Watch): string {
  const seconds = (Date.parse(w.lastAt) - Date.parse(w.beganAt)) / 1000;
  const state =
    w.state === "running"
      ? "It goes on. "
      : w.state === "interrupted"
        ? "Its process was ended; what had been seen is kept. "
        : w.ending
          ? `${w.ending} `
          : "";
  const span = w.looks > 0 ? ` for ${elapsed(seconds)}` : "";
  const cost =
    w.looks > 0
      ? `${count(w.looks)} looks took ${duration(w.lookMs)} each: ${percent(w.lookMs / lookEveryMs)} of one session's time. `
      : "";
  return `${w.address}, from ${moment(w.beganAt)}${span}. ${state}${cost}Parallel workers count as sessions of their own.`;
}

function busiest(page: WatchPage): number {
  return page.moments.reduce((best, m, i) => (m.active > (page.moments[best]?.active ?? 0) ? i : best), 0);
}
