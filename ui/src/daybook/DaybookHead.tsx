import type { Schemas } from "../api/client";
import { measureOf, measures } from "./measures";

type Props = {
  page: Schemas["DaybookPage"];
  measure?: string;
  sources?: string;
  set: (part: { measure?: string; sources?: string }) => void;
};

/** What the course shows, and of which sources. */
export function DaybookHead({ page, measure, sources, set }: Props) {
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
