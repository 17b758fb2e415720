import { useState } from "react";
import { useRecordDeployment } from "../api/daybook";
import { Wrong } from "../parts/Notice";

const empty = { at: "", version: "", what: "", script: "" };
const fields = [
  { key: "at", label: "when, UTC", hint: "now" },
  { key: "version", label: "version", hint: "" },
  { key: "what", label: "what", hint: "" },
] as const;

/** Writes down that something went live. */
export function RecordDeployment({ book }: { book: number }) {
  const record = useRecordDeployment(book);
  const [form, setForm] = useState(empty);
  return (
    <details className="mt-2">
      <summary className="link inline-block">Record a deployment</summary>
      <form
        className="mt-2 grid max-w-lg grid-cols-[6rem_1fr] items-baseline gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          record.mutate(form, { onSuccess: () => setForm(empty) });
        }}
      >
        {fields.map(({ key, label, hint }) => (
          <label key={key} className="contents">
            <span>{label}</span>
            <input
              className="field"
              placeholder={hint}
              value={form[key]}
              onChange={(e) => setForm({ ...form, [key]: e.target.value })}
            />
          </label>
        ))}
        <label className="contents">
          <span>script</span>
          <textarea
            rows={3}
            className="field font-mono text-sm"
            value={form.script}
            onChange={(e) => setForm({ ...form, script: e.target.value })}
          />
        </label>
        <span />
        <div>
          <button type="submit" className="press" disabled={record.isPending}>
            Record
          </button>
          <Wrong error={record.error} />
        </div>
      </form>
    </details>
  );
}
