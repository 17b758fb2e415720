import type { Draft } from "./useDraft";

type Props = { draft: Draft; set: (part: Partial<Draft>) => void };

/** What the server takes where nothing is said: five times the measuring, a minute at least and ten at most. */
const changeLimit = (maxSeconds: number) => Math.min(600, Math.max(60, 5 * (maxSeconds || 0)));

export function Settings({ draft, set }: Props) {
  const number = (
    id: "tolerance" | "maxSeconds" | "statementSeconds" | "changeSeconds",
    label: string,
    unit: string,
    hint = "",
  ) => (
    <label className="flex items-baseline gap-1.5 whitespace-nowrap">
      {label}
      <input
        className="field w-16 text-right"
        value={draft[id]}
        placeholder={hint}
        inputMode="decimal"
        onChange={(e) => set({ [id]: e.target.value })}
      />
      {unit}
    </label>
  );
  const tick = (id: "quick" | "noiseCheck", label: string) => (
    <label className="flex items-baseline gap-1.5 whitespace-nowrap">
      <input type="checkbox" checked={draft[id]} onChange={(e) => set({ [id]: e.target.checked })} />
      {label}
    </label>
  );
  return (
    <fieldset className="flex flex-wrap gap-x-5 gap-y-1 text-sm">
      <legend className="sr-only">Settings</legend>
      {number("tolerance", "level within", "%")}
      {number("statementSeconds", "one execution at most", "s")}
      {number("maxSeconds", "measure at most", "s", "no limit")}
      {number(
        "changeSeconds",
        "change at most",
        "s",
        draft.maxSeconds.trim() === "" ? "600" : String(changeLimit(Number(draft.maxSeconds))),
      )}
      {tick("quick", "quick: 90 blocks instead of 200")}
      {tick("noiseCheck", "noise check: change nothing")}
    </fieldset>
  );
}
