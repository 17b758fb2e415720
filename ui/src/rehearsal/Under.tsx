import type { LoadSettings } from "../api/rehearsals";

/** How it is rehearsed. */
export function Under({
  settings,
  set,
}: {
  settings: LoadSettings;
  set: (to: Partial<LoadSettings>) => void;
}) {
  const asked = settings.capacity
    ? settings.limit !== null
      ? "limit"
      : "sessions"
    : settings.soak
      ? settings.oneSided
        ? "soakOne"
        : "soak"
      : settings.oneSided
        ? "one"
        : "both";
  const number = (label: string, key: "stintSeconds" | "maxSeconds" | "sessions" | "tolerancePercent") => (
    <label className="flex items-baseline gap-2 whitespace-nowrap">
      {label}
      <input
        className="field w-20"
        inputMode="decimal"
        defaultValue={settings[key] ?? ""}
        onChange={(e) => {
          const given = Number(e.target.value);
          set({ [key]: e.target.value.trim() === "" && key === "maxSeconds" ? null : given });
        }}
      />
    </label>
  );
  return (
    <fieldset className="mt-3 flex flex-wrap items-baseline gap-x-5 gap-y-2">
      <legend className="sr-only">How it is rehearsed</legend>
      <label className="flex items-baseline gap-2">
        Ask
        <select
          className="field"
          value={asked}
          onChange={(e) =>
            set({
              oneSided: e.target.value === "one" || e.target.value === "soakOne",
              soak: e.target.value === "soak" || e.target.value === "soakOne",
              capacity: e.target.value === "limit" || e.target.value === "sessions",
              limit: e.target.value === "limit" ? (settings.limit ?? "p99<=50ms") : null,
            })
          }
        >
          <option value="both">what the change does under this load</option>
          <option value="one">what one side does: compares nothing</option>
          <option value="soak">what drifts over hours, on both sides</option>
          <option value="soakOne">what drifts over hours, on one side</option>
          <option value="limit">up to which rate a limit holds</option>
          <option value="sessions">throughput over numbers of sessions</option>
        </select>
      </label>
      {asked === "limit" && (
        <label className="flex items-baseline gap-2">
          Limit
          <input
            className="field w-32 font-mono"
            defaultValue={settings.limit ?? ""}
            onChange={(e) => set({ limit: e.target.value })}
          />
        </label>
      )}
      {number("Seconds of a stint", "stintSeconds")}
      {number(settings.soak ? "Seconds in all" : "Seconds at most", "maxSeconds")}
      {number("Level within %", "tolerancePercent")}
      {number("Sessions, where no part says", "sessions")}
      <label className="flex items-baseline gap-2">
        Journal of a file
        <select
          className="field"
          value={settings.journal ?? ""}
          onChange={(e) => set({ journal: e.target.value || null })}
        >
          <option value="">as it is</option>
          <option value="wal">wal</option>
          <option value="delete">delete</option>
        </select>
      </label>
    </fieldset>
  );
}
