import type { Schemas } from "../api/client";
import { count, three } from "../format/figures";

type Go = (line: number) => void;

type Chosen = {
  /** Names of those that are measured; empty for all. */
  only: string[];
  setOnly: (only: string[]) => void;
};

/** The statements that were found in the workload, as one types; those that are measured first, where only some are. */
export function Statements({
  statements,
  go,
  only,
  setOnly,
}: { statements: Schemas["CheckedStatement"][]; go: Go } & Chosen) {
  const names = statements.map((s) => s.name);
  const chosen = only.filter((n) => names.includes(n));
  const measured = (name: string) => chosen.length === 0 || chosen.includes(name);
  const toggle = (name: string) => {
    const next = measured(name)
      ? names.filter((n) => n !== name && measured(n))
      : names.filter((n) => n === name || measured(n));
    // Nothing to measure is no trial, and all of them are no choice.
    if (next.length > 0) {
      setOnly(next.length === names.length ? [] : next);
    }
  };
  if (statements.length === 0) {
    return (
      <p className="text-quiet">
        Statements appear here as you type. Above each, comments may give <code>-- name:</code>,{" "}
        <code>-- calls: 1200/day</code> and <code>-- bind: hut=3</code>.
      </p>
    );
  }
  const shown = [
    ...statements.filter((s) => measured(s.name)),
    ...statements.filter((s) => !measured(s.name)),
  ];
  return (
    <>
      {chosen.length > 0 && (
        <p className="flex items-baseline gap-3 border-l-2 border-unsettled pl-2">
          <span>
            {count(chosen.length)} of {count(names.length)} statements will be measured; the rest of the
            workload is off.
          </span>
          <button type="button" className="link" onClick={() => setOnly([])}>
            and everything else, for side effects
          </button>
        </p>
      )}
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">
              <span className="sr-only">measured</span>
            </th>
            <th scope="col">statement</th>
            <th scope="col" className="num">
              calls a day
            </th>
            <th scope="col">cases</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((s) => (
            <tr key={s.number} className={measured(s.name) ? "" : "text-quiet"}>
              <td>
                <input
                  type="checkbox"
                  aria-label={`measure ${s.name}`}
                  checked={measured(s.name)}
                  onChange={() => toggle(s.name)}
                />
              </td>
              <td className="max-w-48 truncate">
                <button type="button" className="link" onClick={() => go(s.line)}>
                  {s.name}
                </button>
                {s.rewritten && <span className="text-sm text-quiet"> rewritten</span>}
              </td>
              <td className="num">{s.callsPerDay === null ? "" : three(s.callsPerDay)}</td>
              <td
                className="max-w-64 truncate text-sm text-quiet"
                title={s.cases.map((c) => c.binds).join("\n")}
              >
                {s.cases.length === 1 && !s.cases[0]?.binds
                  ? "1"
                  : `${count(s.cases.length)}: ${s.cases.map((c) => c.binds).join("; ")}`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

/** The steps and rewrites that were found in the change. */
export function Steps({ steps, go }: { steps: Schemas["CheckedStep"][]; go: Go }) {
  if (steps.length === 0) {
    return (
      <p className="text-quiet">
        Migration statements, and rewrites under <code>-- rewrite: NAME</code>, appear here as you type.
      </p>
    );
  }
  return (
    <ol className="ruled">
      {steps.map((s) => (
        <li key={s.number} className="truncate border-t border-rule py-0.5">
          <button type="button" className="link text-quiet" onClick={() => go(s.line)}>
            line {s.line}
          </button>{" "}
          {s.rewrites !== null && <strong>rewrites {s.rewrites}: </strong>}
          <span className="font-mono text-sm">{s.text}</span>
        </li>
      ))}
    </ol>
  );
}
