import type { Moment } from "../api/watch";
import { clock, duration } from "../format/figures";
import { wordOf } from "./kinds";

type Props = { moments: Moment[]; chosen: number; choose: (at: number) => void };

/** The moments that were kept whole: a choice of times, and who waited for whom in the chosen one. */
export function Moments({ moments, chosen, choose }: Props) {
  const shown = moments[chosen];
  return (
    <>
      <ul className="mb-2 flex flex-wrap gap-1" aria-label="Kept moments">
        {moments.map((m, i) => (
          <li key={m.at}>
            <button
              type="button"
              aria-pressed={i === chosen}
              className={`border px-1 ${i === chosen ? "border-ink bg-ink text-paper" : "border-strong"}`}
              onClick={() => choose(i)}
            >
              {clock(m.at)}, {m.piledUp ? `${m.active} active` : "a wait"}
            </button>
          </li>
        ))}
      </ul>
      {shown && (
        <>
          <p className="mb-1 text-quiet">
            {shown.active} sessions were active. A session that others wait for stands above them; those
            without a line before them wait for nobody.
          </p>
          <ul aria-label="Sessions" className="font-mono text-sm">
            {shown.sessions.map((s) => (
              <li
                key={s.id}
                className="border-t border-rule py-1"
                style={{ paddingLeft: s.depth * 18 }}
                aria-label={`Session ${s.id}, ${s.depth === 0 ? "waits for no session" : `waits behind ${s.depth}`}`}
              >
                <span className={s.depth > 0 ? "border-l-2 border-ink pl-2" : ""}>
                  <strong className="font-semibold">{s.id}</strong> {s.user}
                  {s.application && `, ${s.application}`}
                  <span className="text-quiet">
                    {" "}
                    {s.state}
                    {s.waitKind && `, waits for ${wordOf(s.waitKind)} (${s.waitFor})`}
                    {s.transactionSeconds !== null &&
                      `, transaction open for ${duration(s.transactionSeconds * 1000)}`}
                  </span>
                  {s.waiting > 0 && (
                    <strong className="ml-2 font-semibold text-dearer">
                      {s.waiting} {s.waiting === 1 ? "waits" : "wait"} for it
                    </strong>
                  )}
                </span>
                <code className="block break-words" style={{ paddingLeft: s.depth > 0 ? 10 : 0 }}>
                  {s.sql.length > 300 ? `${s.sql.slice(0, 300)}…` : s.sql}
                </code>
              </li>
            ))}
          </ul>
          {shown.sessionCount > shown.sessions.length && (
            <p className="text-quiet">{shown.sessionCount - shown.sessions.length} more are not shown.</p>
          )}
        </>
      )}
    </>
  );
}
