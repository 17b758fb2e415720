import { useId, useState } from "react";
import { type ProposalSettings, useLookForProposals } from "../api/proposals";
import { onServer } from "../newtrial/useDraft";
import { Wrong } from "../parts/Notice";
import { kinds, usualKinds } from "./words";

export const usual: ProposalSettings = {
  kinds: usualKinds,
  mostIndexes: 5,
  mostMegabytes: null,
  writesAtMostPercent: null,
  maxSeconds: 60,
  statementSeconds: 30,
  trustSql: false,
};

/** What is looked for, and the limits that the set must keep. */
export function LookForm({
  book,
  subject,
  begun,
  looked,
}: {
  book: number;
  subject: string;
  begun: ProposalSettings;
  looked: (search: number) => void;
}) {
  const [settings, setSettings] = useState(begun);
  const set = (to: Partial<ProposalSettings>) => setSettings({ ...settings, ...to });
  const look = useLookForProposals(book);
  const chosen = settings.kinds ?? [];
  return (
    <form
      className="flex max-w-xl flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        look.mutate(settings, { onSuccess: (made) => looked(made.id) });
      }}
    >
      <fieldset>
        <legend className="font-semibold">Look for</legend>
        {kinds.map((k) => (
          <label key={k.kind} className="mr-4 inline-flex items-baseline gap-1.5">
            <input
              type="checkbox"
              checked={chosen.includes(k.kind)}
              onChange={(e) =>
                set({ kinds: e.target.checked ? [...chosen, k.kind] : chosen.filter((c) => c !== k.kind) })
              }
            />
            {k.text}
          </label>
        ))}
      </fieldset>
      <fieldset className="flex flex-col gap-1">
        <legend className="font-semibold">Limits of the set</legend>
        <Bound
          label="indexes that may be added, at most"
          value={settings.mostIndexes}
          set={(v) => set({ mostIndexes: v ?? 0 })}
          required
          whole
        />
        <Bound
          label="that they may take together, MB"
          value={settings.mostMegabytes ?? null}
          set={(mostMegabytes) => set({ mostMegabytes })}
        />
        <Bound
          label="that writes may get dearer, %"
          value={settings.writesAtMostPercent ?? null}
          set={(writesAtMostPercent) => set({ writesAtMostPercent })}
        />
        <Bound
          label="that each trial may measure, s"
          value={settings.maxSeconds}
          set={(v) => set({ maxSeconds: v ?? usual.maxSeconds })}
          required
        />
      </fieldset>
      {onServer(subject) && (
        <label className="flex items-baseline gap-2">
          <input
            type="checkbox"
            checked={settings.trustSql}
            onChange={(e) => set({ trustSql: e.target.checked })}
          />
          I know every statement here and every function of that database: let them run with the rights of
          this connection
        </label>
      )}
      <p>
        <button type="submit" className="press main" disabled={look.isPending || chosen.length === 0}>
          Look for proposals
        </button>
      </p>
      <Wrong error={look.error} />
    </form>
  );
}

function Bound(p: {
  label: string;
  value: number | null;
  set: (to: number | null) => void;
  required?: boolean;
  whole?: boolean;
}) {
  const id = useId();
  return (
    <span className="flex items-baseline gap-2">
      <input
        id={id}
        className="field w-24 text-right"
        type="number"
        min={0}
        step={p.whole ? 1 : "any"}
        value={p.value ?? ""}
        placeholder="any"
        required={p.required}
        onChange={(e) => p.set(e.target.value === "" ? null : Number(e.target.value))}
      />
      <label htmlFor={id}>{p.label}</label>
    </span>
  );
}
