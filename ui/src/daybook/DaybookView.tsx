import { Link, useNavigate } from "@tanstack/react-router";
import { useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { type Narrowing, type RankBy, useDaybook, usePatterns, useTake } from "../api/daybook";
import { count, moment, three } from "../format/figures";
import { useSearchKey } from "../parts/keys";
import { EmptyState, Failure } from "../parts/Notice";
import { Spread } from "../parts/Spread";
import { Top } from "../parts/Top";
import { daybookRoute } from "../router";
import { DeploymentList } from "./DeploymentList";
import { EffectPanel } from "./EffectPanel";
import { measureOf, measures } from "./measures";
import { Narrow } from "./Narrow";
import { PatternTable } from "./PatternTable";
import { ReadCapture } from "./ReadCapture";
import { Timeline } from "./Timeline";

/** How many patterns are listed at first; the rest comes on demand. */
const firstShown = 300;

/** What was executed over time: the course with its deployments above, the patterns of the chosen span below. */
export function DaybookView() {
  const id = Number(daybookRoute.useParams().bookId);
  const search = daybookRoute.useSearch();
  const navigate = useNavigate();
  const { measure: measureKey, rank = "total", deployment, ...narrowing } = search;
  const daybook = useDaybook(id, narrowing, measureOf(measureKey).percentile);
  const [limit, setLimit] = useState(firstShown);
  const patterns = usePatterns(id, narrowing, rank, limit);
  const page = daybook.data;
  const set = (part: Partial<typeof search>) =>
    navigate({
      to: "/books/$bookId/daybook",
      params: { bookId: String(id) },
      search: { ...search, ...part },
      replace: true,
    });
  return (
    <>
      <Top>
        <Link to="/books/$bookId" params={{ bookId: String(id) }} search={{}} className="link">
          {page?.bookName ?? "Book"}
        </Link>{" "}
        / Daybook
      </Top>
      <main className="flex min-h-0 flex-1 flex-col">
        {daybook.error && <Failure error={daybook.error} retry={() => daybook.refetch()} />}
        {daybook.isPending && <p className="px-5 py-8 text-quiet">Reading the daybook.</p>}
        {page && !(page.from && page.to) && <Nothing page={page} />}
        {page?.from && page.to && (
          <>
            <Head page={page} measure={measureKey} sources={search.sources} set={set} />
            <div className="shrink-0 px-5">
              <Timeline
                course={page.course}
                from={page.from}
                to={page.to}
                minutes={page.stretchMinutes}
                measure={measureOf(measureKey)}
                deployments={page.deployments}
                chosen={deployment}
                span={spanOf(search)}
                select={(s) =>
                  set(
                    s
                      ? { from: new Date(s.from).toISOString(), to: new Date(s.to).toISOString() }
                      : { from: undefined, to: undefined },
                  )
                }
                open={(d) => set({ deployment: d })}
              />
            </div>
            <div className="min-h-0 flex-1 border-t border-ink">
              <div className="flex h-full">
                <Spread
                  name="daybook"
                  start={0.63}
                  left={
                    <Statements
                      book={id}
                      narrowing={narrowing}
                      rank={rank}
                      patterns={patterns.data}
                      set={set}
                      showAll={() => setLimit(20_000)}
                    />
                  }
                  right={
                    deployment ? (
                      <EffectPanel
                        key={deployment}
                        book={id}
                        deployment={deployment}
                        sources={search.sources}
                        close={() => set({ deployment: undefined })}
                      />
                    ) : (
                      <DeploymentList page={page} open={(d) => set({ deployment: d })} />
                    )
                  }
                />
              </div>
            </div>
          </>
        )}
      </main>
    </>
  );
}

function spanOf(search: Narrowing) {
  return search.from && search.to ? { from: Date.parse(search.from), to: Date.parse(search.to) } : null;
}

function Nothing({ page }: { page: Schemas["DaybookPage"] }) {
  return (
    <div className="overflow-y-auto px-5 pb-5">
      <EmptyState wholePage title="Nothing has been captured yet">
        Read a server's log to see which statements take the time, how they spread, and how they moved when
        something was deployed.
      </EmptyState>
      <ReadCapture book={page.bookName} />
    </div>
  );
}

type HeadProps = {
  page: Schemas["DaybookPage"];
  measure?: string;
  sources?: string;
  set: (part: { measure?: string; sources?: string }) => void;
};

function Head({ page, measure, sources, set }: HeadProps) {
  const chosen = new Set((sources ?? "").split(",").filter(Boolean));
  const toggle = (id: string) => {
    const next = new Set(chosen.size === 0 ? page.sources.map((s) => String(s.id)) : chosen);
    next.has(id) ? next.delete(id) : next.add(id);
    set({ sources: next.size === 0 || next.size === page.sources.length ? undefined : [...next].join(",") });
  };
  return (
    <div className="flex shrink-0 flex-wrap items-baseline gap-x-5 px-5 pt-2 pb-1">
      <h1 className="head">Daybook</h1>
      <label>
        <span className="sr-only">Measure of the course </span>
        <select
          className="field"
          value={measureOf(measure).key}
          onChange={(e) => set({ measure: e.target.value === "time" ? undefined : e.target.value })}
        >
          {measures.map((m) => (
            <option key={m.key} value={m.key}>
              {m.name}, {m.unit}
            </option>
          ))}
        </select>
      </label>
      {page.sources.length > 1 && (
        <fieldset className="flex gap-3">
          <legend className="sr-only">Sources</legend>
          {page.sources.map((s) => (
            <label key={s.id} className="whitespace-nowrap">
              <input
                type="checkbox"
                checked={chosen.size === 0 || chosen.has(String(s.id))}
                onChange={() => toggle(String(s.id))}
              />{" "}
              {s.name}
            </label>
          ))}
        </fieldset>
      )}
    </div>
  );
}

type StatementsProps = {
  book: number;
  narrowing: Narrowing;
  rank: RankBy;
  patterns?: Schemas["PatternsPage"];
  set: (part: Partial<Narrowing> & { rank?: RankBy }) => void;
  showAll: () => void;
};

function Statements({ book, narrowing, rank, patterns, set, showAll }: StatementsProps) {
  const [picked, setPicked] = useState<Set<string>>(new Set());
  const search = useRef<HTMLInputElement>(null);
  useSearchKey(search);
  const pick = (hash: string) =>
    setPicked((old) => {
      const next = new Set(old);
      next.has(hash) ? next.delete(hash) : next.add(hash);
      return next;
    });
  const rankBy = (r: RankBy) => set({ rank: r === "total" ? undefined : r });
  return (
    <section aria-label="Statements" className="flex h-full flex-col">
      <Narrow
        narrowing={narrowing}
        patterns={patterns}
        rank={rank}
        rankBy={rankBy}
        set={set}
        search={search}
      />
      {patterns && patterns.patterns.length === 0 ? (
        <p className="px-5 py-3 text-quiet">No statement fits.</p>
      ) : (
        <PatternTable
          book={book}
          patterns={patterns?.patterns ?? []}
          rank={rank}
          rankBy={rankBy}
          picked={picked}
          pick={pick}
        />
      )}
      {patterns && patterns.matching > patterns.patterns.length && (
        <p className="px-5 py-1">
          {count(patterns.patterns.length)} of {count(patterns.matching)} are listed.{" "}
          <button type="button" className="link" onClick={showAll}>
            List all
          </button>
        </p>
      )}
      {patterns && (
        <Foot
          book={book}
          narrowing={narrowing}
          patterns={patterns}
          picked={picked}
          clear={() => setPicked(new Set())}
          set={set}
        />
      )}
    </section>
  );
}

type FootProps = {
  book: number;
  narrowing: Narrowing;
  patterns: Schemas["PatternsPage"];
  picked: Set<string>;
  clear: () => void;
  set: (part: Partial<Narrowing>) => void;
};

function Foot({ book, narrowing, patterns, picked, clear, set }: FootProps) {
  const take = useTake(book);
  const navigate = useNavigate();
  const query = new URLSearchParams(
    Object.entries(narrowing).filter((e): e is [string, string] => typeof e[1] === "string"),
  );
  return (
    <div className="shrink-0 px-5 pb-2">
      <div className="total flex flex-wrap items-baseline gap-x-4 py-0.5">
        <span className="font-semibold">
          {three(patterns.seconds)} s in {count(patterns.calls)} calls of {count(patterns.matching)}{" "}
          statements
        </span>
        <span className="text-quiet">
          {patterns.from && `${moment(patterns.from)} to ${moment(patterns.to)}`}
          {narrowing.from && (
            <button
              type="button"
              className="link ml-2"
              onClick={() => set({ from: undefined, to: undefined })}
            >
              all time
            </button>
          )}
        </span>
        <span className="ml-auto flex gap-3 text-sm">
          <a className="link" href={`/api/books/${book}/patterns.csv?${query}`}>
            CSV
          </a>
          <a className="link" href={`/api/books/${book}/patterns.json?${query}`}>
            JSON
          </a>
        </span>
      </div>
      {picked.size > 0 && (
        <div className="mt-1 flex items-baseline gap-3">
          <button
            type="button"
            className="press main"
            disabled={take.isPending}
            onClick={() =>
              take.mutate([...picked], {
                onSuccess: () => navigate({ to: "/new", search: { book } }),
              })
            }
          >
            Take {count(picked.size)} into the workload
          </button>
          <button type="button" className="link" onClick={clear}>
            none
          </button>
          {take.error && (
            <span role="alert" className="text-failed">
              {take.error.message}
            </span>
          )}
        </div>
      )}
    </div>
  );
}
