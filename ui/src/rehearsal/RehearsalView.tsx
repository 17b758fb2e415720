import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { goesOn } from "../api/batch";
import { type Problem, Refused } from "../api/client";
import { useBook } from "../api/hooks";
import {
  type LoadSettings,
  type Rehearsal,
  useRehearsal,
  useRehearsalAction,
  useRehearsalDraft,
  useRehearsals,
  useStartRehearsal,
} from "../api/rehearsals";
import { moment } from "../format/figures";
import { Ask } from "../parts/Ask";
import { BookLink, Frame } from "../parts/Frame";
import { EmptyState, Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { Page, Spread } from "../parts/Spread";
import { SqlEditor } from "../parts/SqlEditor";
import { Beside } from "./Beside";
import { Result } from "./Result";
import { Under } from "./Under";

const route = getRouteApi("/books/$bookId/rehearsals");

const usual: LoadSettings = {
  stintSeconds: 2,
  maxSeconds: 90,
  tolerancePercent: 10,
  journal: null,
  oneSided: false,
  capacity: false,
  limit: null,
  sessions: 8,
  seed: 1,
  soak: false,
};

type Draft = { title: string; load: string; change: string; settings: LoadSettings };

/** A load on both sides of a change: what is sent on the left page, what came of it on the right. */
export function RehearsalView() {
  const id = Number(route.useParams().bookId);
  const { run, load, beside, seen, ...of } = route.useSearch();
  const book = useBook(id);
  const page = useRehearsal(id, run);
  const list = useRehearsals(id);
  const opened = page.data;
  const kept = list.data?.ready.find((r) => r.id === load);
  const wanted = !run && !load && (of.trial !== undefined || of.hashes !== undefined || seen);
  const draft = useRehearsalDraft(id, wanted ? of : undefined);
  const drafted = draft.data && { ...draft.data, settings: { ...usual, stintSeconds: of.trial ? 2 : 5 } };
  return (
    <Frame
      title={book.data ? `${opened?.title ?? "Rehearsals"}, ${book.data.book.name}` : undefined}
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {" / rehearsals"}
          {run && ` / ${run}`}
        </>
      }
      of={run && !opened ? page : load && !list.data ? list : wanted && !drafted ? draft : book}
      reading={run ? "Reading the rehearsal." : undefined}
    >
      {/* Another one brings its own texts along. */}
      {(!run || opened) && (!load || list.data) && (!wanted || drafted) && (
        <Desk
          key={run ?? `load ${load ?? JSON.stringify(of)}`}
          book={id}
          page={run ? opened : undefined}
          begun={opened ?? kept ?? drafted}
          left={draft.data?.left}
          beside={beside}
        />
      )}
    </Frame>
  );
}

function Desk({
  book,
  page,
  begun,
  left,
  beside,
}: {
  book: number;
  page?: Rehearsal;
  begun?: Draft;
  left?: string;
  beside?: number;
}) {
  const navigate = useNavigate();
  const start = useStartRehearsal(book);
  const act = useRehearsalAction(book);
  const [draft, setDraft] = useState<Draft>(begun ?? { title: "", load: "", change: "", settings: usual });
  const set = (to: Partial<Draft>) => setDraft({ ...draft, ...to });
  const open = (search: { run?: number; load?: number; beside?: number }) =>
    navigate({ to: "/books/$bookId/rehearsals", params: { bookId: String(book) }, search });
  const going = goesOn(page?.state);
  const problems = start.error instanceof Refused ? start.error.problems : [];
  const of = (part: string): Problem[] => problems.filter((p) => p.part === part && p.line !== null);
  const begin = (d: Draft, cause?: number) =>
    start.mutate({ ...d, trustSql: false }, { onSuccess: (made) => open({ run: made.id, beside: cause }) });
  return (
    <Spread
      name="rehearsal"
      start={0.44}
      left={
        <Page
          label="Load"
          head={
            <div className="flex items-baseline justify-between gap-3">
              <h1 className="head truncate">{draft.title || "A rehearsal under load"}</h1>
              <span className="flex shrink-0 gap-2">
                {going && page && (
                  <button
                    type="button"
                    className="press"
                    onClick={() => act.mutate({ rehearsal: page.id, act: "cancel" })}
                  >
                    Cancel
                  </button>
                )}
                <button
                  type="button"
                  className="press main"
                  disabled={start.isPending || draft.load.trim() === ""}
                  onClick={() => begin(draft)}
                >
                  {page && !going ? "Rehearse again" : "Rehearse"}
                </button>
              </span>
            </div>
          }
        >
          <Wrong error={start.error ?? act.error} />
          {left && <p className="mb-2 text-quiet">{left}</p>}
          <h2 className="section">Load: who sends what, how often</h2>
          <div className="roomed flex h-72 flex-col">
            <SqlEditor
              label="Load"
              value={draft.load}
              onChange={(load) => set({ load })}
              problems={of("workload")}
              place={placeOf(of("workload"))}
            />
          </div>
          <h2 className="section">Change: what the after side gets first</h2>
          <div className="roomed flex h-36 flex-col">
            <SqlEditor
              label="Change"
              value={draft.change}
              onChange={(change) => set({ change })}
              problems={of("change")}
              place={placeOf(of("change"))}
            />
          </div>
          <Under settings={draft.settings} set={(s) => set({ settings: { ...draft.settings, ...s } })} />
          {page && <Kept book={book} shown={page.id} open={open} />}
        </Page>
      }
      right={
        <Page
          label="Result"
          head={
            <h2 className="head" aria-live="polite">
              {headOf(page)}
            </h2>
          }
        >
          {page ? (
            <>
              {beside !== undefined && (
                <Beside book={book} page={page} other={beside} close={() => open({ run: page.id })} />
              )}
              <Result
                book={book}
                page={page}
                remedy={(load, title) => begin({ ...draft, load, title }, page.id)}
              />
            </>
          ) : (
            <>
              <EmptyState title="Take a load, or write one">
                Statements with the sessions that send them. They run on two private copies, one side at a
                time in short stints, with real commits; the database itself is only read.
              </EmptyState>
              <Kept book={book} open={open} />
            </>
          )}
        </Page>
      }
    />
  );
}

const placeOf = (problems: Problem[]) =>
  problems[0] ? { line: problems[0].line ?? 1, column: problems[0].column ?? 1 } : null;

function headOf(page: Rehearsal | undefined): string {
  if (!page) {
    return "What a change does when many sessions run at once";
  }
  switch (page.state) {
    case "waiting":
      return page.ahead > 0 ? `Waits for its turn, ${page.ahead} ahead of it` : "Waits for its turn";
    case "running":
      return page.result ? "So far" : "Makes its copies";
    case "refused":
      return "Not rehearsed";
    default:
      return page.result?.headline ?? (page.state === "cancelled" ? "Cancelled" : "Interrupted");
  }
}

/** Loads that are ready, and what was rehearsed before, each with an address of its own. */
function Kept({
  book,
  shown,
  open,
}: {
  book: number;
  shown?: number;
  open: (search: { run?: number; load?: number; beside?: number }) => void;
}) {
  const list = useRehearsals(book);
  const act = useRehearsalAction(book);
  const ready = list.data?.ready ?? [];
  const run = list.data?.rehearsals ?? [];
  return (
    <>
      <Wrong error={list.error} />
      {ready.length > 0 && (
        <section aria-label="Loads that are ready">
          <h2 className="section">Loads that are ready</h2>
          {ready.map((l) => (
            <p key={l.id} className="mb-2">
              <Link
                className="link"
                to="/books/$bookId/rehearsals"
                params={{ bookId: String(book) }}
                search={{ load: l.id }}
                onClick={(e) => {
                  e.preventDefault();
                  open({ load: l.id });
                }}
              >
                {l.title}
              </Link>
              <span className="block text-sm text-quiet">{l.note}</span>
            </p>
          ))}
        </section>
      )}
      {run.length > 0 && (
        <section aria-label="Rehearsals">
          <h2 className="section">Rehearsals of this database</h2>
          <table className="ruled">
            <thead>
              <tr>
                <th scope="col">when</th>
                <th scope="col">rehearsal</th>
                <th scope="col">
                  <span className="sr-only">beside this one, delete</span>
                </th>
              </tr>
            </thead>
            <Rows>
              {run.map((r) => (
                <tr key={r.id} className={r.id === shown ? "bg-chosen" : ""}>
                  <td className="whitespace-nowrap text-quiet">{moment(r.createdAt)}</td>
                  <td className="w-full">
                    <Link
                      className="link"
                      to="/books/$bookId/rehearsals"
                      params={{ bookId: String(book) }}
                      search={{ run: r.id }}
                      onClick={(e) => {
                        e.preventDefault();
                        open({ run: r.id });
                      }}
                    >
                      {r.title}
                    </Link>
                    <div className="text-sm text-quiet">{r.headline ?? r.message ?? r.state}</div>
                  </td>
                  <td className="whitespace-nowrap">
                    {shown !== undefined && r.id !== shown && r.headline && (
                      <button
                        type="button"
                        className="link mr-3"
                        onClick={() => open({ run: shown, beside: r.id })}
                      >
                        beside<span className="sr-only"> this one: {r.title}</span>
                      </button>
                    )}
                    {!goesOn(r.state) && r.id !== shown && (
                      <Ask
                        press="delete"
                        className="link text-quiet"
                        title={`Delete the rehearsal of ${moment(r.createdAt)}?`}
                        doing="Delete it"
                        act={(done) => act.mutate({ rehearsal: r.id, act: "delete" }, { onSuccess: done })}
                      >
                        Its stints and its result go with it.
                      </Ask>
                    )}
                  </td>
                </tr>
              ))}
            </Rows>
          </table>
        </section>
      )}
    </>
  );
}
