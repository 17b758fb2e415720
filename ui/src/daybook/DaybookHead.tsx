import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import type { Narrowing, View } from "../api/daybook";
import { Exports } from "../parts/Exports";
import { dashOf, measureOf, measures } from "./measures";

/** What the server takes for slow when nothing is said. */
const slowFrom = 1000;

type Search = Narrowing & View & { measure?: string };
type Props = { page: Schemas["DaybookPage"]; search: Search; set: (part: Partial<Search>) => void };

/** What the course shows, of which sources, and how much of it. */
export function DaybookHead({ page, search, set }: Props) {
  const chosen = new Set((search.sources ?? "").split(",").filter(Boolean));
  const toggle = (id: string) => {
    const next = new Set(chosen.size === 0 ? page.sources.map((s) => String(s.id)) : chosen);
    next.has(id) ? next.delete(id) : next.add(id);
    set({ sources: next.size === 0 || next.size === page.sources.length ? undefined : [...next].join(",") });
  };
  const spanned = search.from !== undefined && search.to !== undefined;
  const seen = search.from === search.since && search.to === search.until;
  return (
    <div className="flex shrink-0 flex-wrap items-baseline gap-x-5 px-5 pt-2 pb-1">
      <h1 className="head">Daybook</h1>
      <label>
        <span className="sr-only">Measure of the course </span>
        <select
          className="field"
          value={measureOf(search.measure).key}
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
        <fieldset className="flex flex-wrap gap-x-3">
          <legend className="sr-only">Sources</legend>
          {page.sources.map((s) => (
            <label key={s.id} className="whitespace-nowrap">
              <input
                type="checkbox"
                checked={chosen.size === 0 || chosen.has(String(s.id))}
                onChange={() => toggle(String(s.id))}
              />{" "}
              {s.name}
              {search.apart && (
                <svg width={26} height={8} className="ml-1 inline" aria-hidden="true">
                  <line
                    x2={26}
                    y1={4}
                    y2={4}
                    className="stroke-ink"
                    strokeDasharray={dashOf(page, s.id) || undefined}
                  />
                </svg>
              )}
            </label>
          ))}
          <label className="whitespace-nowrap">
            <input
              type="checkbox"
              checked={search.apart ?? false}
              onChange={() => set({ apart: search.apart ? undefined : true })}
            />{" "}
            apart
          </label>
        </fieldset>
      )}
      <label className="whitespace-nowrap text-quiet">
        slow from{" "}
        <input
          type="number"
          min={1}
          className="field w-20 text-ink"
          value={search.slow ?? slowFrom}
          onChange={(e) => set({ slow: Number(e.target.value) || undefined })}
        />{" "}
        ms
      </label>
      <span className="ml-auto flex gap-3">
        <Link
          className="link"
          to="/books/$bookId/executions"
          params={{ bookId: String(page.bookId) }}
          search={{
            from: search.from ?? search.since,
            to: search.to ?? search.until,
            sources: search.sources,
            text: search.text,
            kind: search.kind,
            table: search.table,
            tag: search.tag,
          }}
        >
          kept executions
        </Link>
        <Exports
          of="Course"
          path={`/api/books/${page.bookId}/course`}
          query={{
            from: search.since,
            to: search.until,
            sources: search.sources,
            text: search.text,
            kind: search.kind,
            table: search.table,
            tag: search.tag,
            database: search.database,
            user: search.user,
            application: search.application,
            load: search.load,
          }}
        />
        {spanned && !seen && (
          <button
            type="button"
            className="link"
            onClick={() => set({ since: search.from, until: search.to })}
          >
            look closer
          </button>
        )}
        {search.since && (
          <button type="button" className="link" onClick={() => set({ since: undefined, until: undefined })}>
            whole course
          </button>
        )}
      </span>
    </div>
  );
}
