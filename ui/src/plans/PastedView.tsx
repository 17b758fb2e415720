import { useMutation } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { useBooks } from "../api/hooks";
import { savePlan, useComparison, usePasted } from "../api/plans";
import { Frame } from "../parts/Frame";
import { SideMark } from "../parts/Mark";
import { EmptyState, Wrong } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { Compared } from "./Compared";
import type { Choice, Side } from "./choice";
import { mostOf } from "./confluence";
import { Picture } from "./Picture";

const sides = ["before", "after"] as const;
const empty = { before: "", after: "", beforeSql: "", afterSql: "", bookId: null as number | null };

/** Two plans, or two statements of a book, compared without any trial. */
export function PastedView() {
  const { book, pair } = useSearch({ strict: false });
  const kept = usePasted(pair);
  const { before, after, beforeSql, afterSql, bookId } = kept.data?.given ?? empty;
  // Texts that came by an address fill the fields, and so does going back to another pair.
  return (
    <Pair
      key={kept.data ? `kept ${kept.data.id}` : "new"}
      kept={kept}
      pair={pair}
      begun={{ before, after, beforeSql, afterSql }}
      book={book ?? bookId ?? undefined}
    />
  );
}

type PairProps = {
  kept: ReturnType<typeof usePasted>;
  pair?: number;
  begun: Omit<typeof empty, "bookId">;
  book?: number;
};

function Pair({ kept, pair, begun, book }: PairProps) {
  const navigate = useNavigate();
  const books = useBooks();
  const [given, setGiven] = useState(begun);
  const [choice, choose] = useState<Choice>(null);
  const compare = useComparison();
  const page = compare.data ?? kept.data;
  const set = (name: keyof typeof given) => (text: string) => setGiven({ ...given, [name]: text });
  const nothing = Object.values(given).every((t) => t.trim() === "");
  const unread = sides.filter(
    (side) =>
      page &&
      !page.plans[side] &&
      (given[side] + given[side === "before" ? "beforeSql" : "afterSql"]).trim() !== "",
  );
  const run = () => {
    choose(null);
    compare.mutate(
      { ...given, bookId: book ?? null },
      {
        onSuccess: (made) =>
          made.id > 0 && made.id !== pair && navigate({ to: "/plans", search: { book, pair: made.id } }),
      },
    );
  };
  return (
    <Frame at={"plans"} title={page?.plans.sentence ?? "Compare two plans"}>
      <Page
        label="Plans compared"
        head={
          <>
            <h1 className="head">
              {page?.plans.sentence ??
                (page?.plans.samePlan
                  ? "The same plan."
                  : unread.length > 0
                    ? `There is no plan ${unread.join(" and ")}`
                    : "Compare two plans, or two statements")}
            </h1>
            {!page && (
              <p className="text-quiet">
                Paste what EXPLAIN QUERY PLAN (SQLite) or EXPLAIN (PostgreSQL; text, JSON, XML or YAML) gave,
                or a plan exported here. A statement alone is explained by a book's schema and statistics;
                nothing is run.
              </p>
            )}
            {page &&
              sides.map((side) => {
                const note = side === "before" ? page.noteBefore : page.noteAfter;
                return (
                  note && (
                    <p key={side} role="status" className="border-l-2 border-unsettled pl-2">
                      <SideMark side={side} />
                      {side}: {note}
                    </p>
                  )
                );
              })}
          </>
        }
      >
        <details key={unread.join()} open={!page || unread.length > 0}>
          <summary className={`cursor-pointer ${page ? "text-quiet" : "sr-only"}`}>what was pasted</summary>
          <form
            className="grid grid-cols-2 gap-x-6 gap-y-2"
            onSubmit={(e) => {
              e.preventDefault();
              run();
            }}
          >
            {sides.map((side) => (
              <div key={side} className="flex flex-col gap-1">
                <Area side={side} what="plan" rows={9} value={given[side]} change={set(side)} />
                <Area
                  side={side}
                  what="SQL"
                  rows={5}
                  value={side === "before" ? given.beforeSql : given.afterSql}
                  change={set(side === "before" ? "beforeSql" : "afterSql")}
                />
              </div>
            ))}
            <p className="col-span-2 flex flex-wrap items-baseline gap-4">
              <button type="submit" className="press main" disabled={nothing || compare.isPending}>
                Compare
              </button>
              <label className="flex items-baseline gap-2">
                by the schema and statistics of
                <select
                  className="field"
                  value={book ?? ""}
                  onChange={(e) =>
                    navigate({
                      to: "/plans",
                      search: { book: e.target.value ? Number(e.target.value) : undefined, pair },
                      replace: true,
                    })
                  }
                >
                  <option value="">no book</option>
                  {books.data?.map((b) => (
                    <option key={b.id} value={b.id}>
                      {b.name}
                    </option>
                  ))}
                </select>
              </label>
              <Wrong error={compare.error ?? kept.error ?? books.error} />
            </p>
          </form>
        </details>
        {page &&
          (page.plans.rows.length > 0 ? (
            <div className="mt-3">
              <Compared
                comparison={page.plans}
                sql={{ before: given.beforeSql, after: given.afterSql }}
                choice={choice}
                choose={choose}
              />
              <p className="mt-4 flex flex-wrap gap-x-6 text-sm text-quiet">
                {sides.map(
                  (side) =>
                    page.plans[side] &&
                    given[side].trim() !== "" && <Save key={side} plan={given[side]} side={side} />,
                )}
              </p>
            </div>
          ) : page.pictureBefore.length > 0 || page.pictureAfter.length > 0 ? (
            <div className="mt-3 flex flex-wrap gap-x-8">
              {sides.map((side) => {
                const blocks = side === "before" ? page.pictureBefore : page.pictureAfter;
                return (
                  blocks.length > 0 && (
                    <section key={side} aria-label={`Picture ${side}`} className="min-w-0 overflow-x-auto">
                      <h2 className="section">
                        <SideMark side={side} />
                        The statement as a picture, {side}
                      </h2>
                      <Picture
                        blocks={blocks}
                        sql={side === "before" ? given.beforeSql : given.afterSql}
                        side={side}
                        most={mostOf([...page.pictureBefore, ...page.pictureAfter])}
                      />
                    </section>
                  )
                );
              })}
            </div>
          ) : (
            <EmptyState title="There is no plan to show">
              {page.noteBefore || page.noteAfter
                ? "Mend what was pasted and compare again."
                : "Neither side has an operator."}
            </EmptyState>
          ))}
      </Page>
    </Frame>
  );
}

/** What was pasted, to be kept in another form. */
function Save({ plan, side }: { plan: string; side: Side }) {
  const save = useMutation({ mutationFn: (format: string) => savePlan(plan, format) });
  return (
    <span className="flex gap-2">
      plan {side} as
      {["txt", "json", "svg"].map((f) => (
        <button key={f} type="button" className="link" onClick={() => save.mutate(f)}>
          {f === "txt" ? "text" : f.toUpperCase()}
          <span className="sr-only"> ({side})</span>
        </button>
      ))}
      <Wrong error={save.error} />
    </span>
  );
}

function Area(p: { side: Side; what: string; rows: number; value: string; change: (text: string) => void }) {
  return (
    <label className="block">
      <span className="text-sm text-quiet">
        <SideMark side={p.side} />
        {p.what} {p.side}
      </span>
      <textarea
        className="field block w-full font-mono text-sm"
        rows={p.rows}
        spellCheck={false}
        value={p.value}
        onChange={(e) => p.change(e.target.value)}
      />
    </label>
  );
}
