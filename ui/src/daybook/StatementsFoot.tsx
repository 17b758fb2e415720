import { useNavigate } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { type Narrowing, useTake } from "../api/daybook";
import { count, moment, three } from "../format/figures";
import { Wrong } from "../parts/Notice";

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
          <Wrong error={take.error} />
        </div>
      )}
    </div>
  );
}
