import { useNavigate } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import type { Narrowing } from "../api/daybook";
import { count, exactly, three } from "../format/figures";
import { Exports } from "../parts/Exports";

type Props = {
  book: number;
  narrowing: Narrowing;
  patterns: Schemas["PatternsPage"];
  picked: Set<string>;
  clear: () => void;
  set: (part: Partial<Narrowing>) => void;
};

/** What is listed in sum, and what can be done with it. */
export function StatementsFoot({ book, narrowing, patterns, picked, clear, set }: Props) {
  const navigate = useNavigate();
  const { from, to, sources, database, user, application } = narrowing;
  const rehearse = (hashes: string | undefined) =>
    navigate({
      to: "/books/$bookId/rehearsals",
      params: { bookId: String(book) },
      search: { hashes, from, to, sources, database, user, application, seen: true },
    });
  return (
    <div className="shrink-0 px-5 pb-2">
      <div className="total flex flex-wrap items-baseline gap-x-4 py-0.5">
        <span className="font-semibold">
          {three(patterns.seconds)} s in {count(patterns.calls)} calls of {count(patterns.matching)}{" "}
          statements
        </span>
        <span className="text-quiet">
          {patterns.from && `${exactly(patterns.from)} to ${exactly(patterns.to)}`}
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
        <span className="ml-auto text-sm">
          <button
            type="button"
            className="link mr-4"
            onClick={() => rehearse(undefined)}
            title="The most frequent statements of this span, at its rates, with its values"
          >
            Rehearse this span
          </button>
          <Exports of="Statements" path={`/api/books/${book}/patterns`} query={narrowing} />
        </span>
      </div>
      {picked.size > 0 && (
        <div className="mt-1 flex items-baseline gap-3">
          <button
            type="button"
            className="press main"
            onClick={() => navigate({ to: "/new", search: { book, take: [...picked].join(",") } })}
          >
            Take {count(picked.size)} to a trial
          </button>
          <button type="button" className="press" onClick={() => rehearse([...picked].join(","))}>
            Rehearse {picked.size === 1 ? "it" : "them"}
          </button>
          <button type="button" className="link" onClick={clear}>
            none
          </button>
        </div>
      )}
    </div>
  );
}
