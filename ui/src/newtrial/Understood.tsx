import type { Schemas } from "../api/client";
import { count, three } from "../format/figures";

type Go = (line: number) => void;

/** The statements that were found in the workload, as one types. */
export function Statements({ statements, go }: { statements: Schemas["CheckedStatement"][]; go: Go }) {
  if (statements.length === 0) {
    return (
      <p className="text-quiet">
        Statements appear here as you type. Above each, comments may give <code>-- name:</code>,{" "}
        <code>-- calls: 1200/day</code> and <code>-- bind: hut=3</code>.
      </p>
    );
  }
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col">statement</th>
          <th scope="col" className="num">
            calls a day
          </th>
          <th scope="col">cases</th>
        </tr>
      </thead>
      <tbody>
        {statements.map((s) => (
          <tr key={s.number}>
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
