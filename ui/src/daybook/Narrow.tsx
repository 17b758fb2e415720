import type { RefObject } from "react";
import type { Schemas } from "../api/client";
import type { Narrowing, RankBy } from "../api/daybook";
import { columns, otherRanks } from "./measures";

type Props = {
  narrowing: Narrowing;
  patterns?: Schemas["PatternsPage"];
  rank: RankBy;
  rankBy: (rank: RankBy) => void;
  set: (part: Partial<Narrowing>) => void;
  search: RefObject<HTMLInputElement | null>;
};

/** What the list is narrowed to, and by what it is ranked. */
export function Narrow({ narrowing, patterns, rank, rankBy, set, search }: Props) {
  return (
    <div className="flex flex-wrap items-baseline gap-x-2 gap-y-1 px-5 py-1.5 text-sm">
      <input
        ref={search}
        type="search"
        aria-label="Text in the statement"
        placeholder="text in the statement"
        className="field w-40"
        value={narrowing.text ?? ""}
        onChange={(e) => set({ text: e.target.value || undefined })}
      />
      <Choice
        name="kind"
        any="all kinds"
        value={narrowing.kind}
        from={patterns?.kinds ?? []}
        set={(kind) => set({ kind })}
      />
      <Choice
        name="table"
        any="all tables"
        value={narrowing.table}
        from={patterns?.tables ?? []}
        set={(table) => set({ table })}
      />
      <input
        type="search"
        aria-label="Tag, as key=value"
        placeholder="key=value"
        className="field w-28"
        value={narrowing.tag ?? ""}
        onChange={(e) => set({ tag: e.target.value || undefined })}
      />
      {whoseName(narrowing) && (
        <button
          type="button"
          className="press max-w-60 truncate"
          title="Show the load of all applications again"
          onClick={() =>
            set({ database: undefined, user: undefined, application: undefined, load: undefined })
          }
        >
          only {whoseName(narrowing)} <span aria-hidden="true">×</span>
        </button>
      )}
      <label>
        <span className="text-quiet">ranked by </span>
        <select className="field max-w-40" value={rank} onChange={(e) => rankBy(e.target.value as RankBy)}>
          {columns.map((c) => (
            <option key={c.rank} value={c.rank}>
              {c.head === "read per row" ? "rows read per row returned" : c.head}
            </option>
          ))}
          {otherRanks.map((o) => (
            <option key={o.rank} value={o.rank}>
              {o.name}
            </option>
          ))}
        </select>
      </label>
    </div>
  );
}

/** Whose load the list is narrowed to, in a few words. */
function whoseName({ load, application, user, database }: Narrowing): string {
  return load === "own"
    ? "Swift Ledger itself"
    : load === "housekeeping"
      ? "housekeeping"
      : [application, user, database].filter(Boolean).join(", ");
}

function Choice(p: { name: string; any: string; value?: string; from: string[]; set: (v?: string) => void }) {
  return (
    <select
      aria-label={p.name}
      className="field max-w-28"
      value={p.value ?? ""}
      onChange={(e) => p.set(e.target.value || undefined)}
    >
      <option value="">{p.any}</option>
      {p.from.map((v) => (
        <option key={v} value={v}>
          {v}
        </option>
      ))}
    </select>
  );
}
