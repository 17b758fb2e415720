import type { Schemas } from "../api/client";
import { type Narrowing, useCallers } from "../api/daybook";
import { count, percent, three } from "../format/figures";
import { Wrong } from "../parts/Notice";

type Caller = Schemas["CallerRow"];
type Props = { book: number; narrowing: Narrowing; set: (part: Partial<Narrowing>) => void };

const shownAtFirst = 8;

/** Who sends statements, and how much: each narrows the daybook to what it sends. */
export function WhoseLoad({ book, narrowing, set }: Props) {
  const { data: callers = [], error } = useCallers(book, narrowing);
  if (callers.length === 0) {
    return <Wrong error={error} />;
  }
  const applications = callers.filter((c) => c.kind === "application");
  const named = { user: applications.some((c) => c.user), database: applications.some((c) => c.database) };
  const own = callers.filter((c) => c.kind === "own");
  const housekeeping = callers.filter((c) => c.kind === "housekeeping");
  return (
    <>
      <h3 className="section">Whose load</h3>
      <table className="ruled mb-1">
        <thead>
          <tr>
            <th scope="col">application</th>
            {named.user && <th scope="col">user</th>}
            {named.database && <th scope="col">database</th>}
            <th scope="col" className="num">
              time, s
            </th>
            <th scope="col" className="num">
              share
            </th>
            <th scope="col" className="num">
              calls
            </th>
          </tr>
        </thead>
        <tbody>
          {applications.slice(0, shownAtFirst).map((c) => (
            <Row key={keyOf(c)} caller={c} named={named} narrowing={narrowing} set={set} />
          ))}
        </tbody>
      </table>
      {applications.length > shownAtFirst && (
        <details>
          <summary className="link text-sm">{count(applications.length - shownAtFirst)} more</summary>
          <table className="ruled mb-1">
            <tbody>
              {applications.slice(shownAtFirst).map((c) => (
                <Row key={keyOf(c)} caller={c} named={named} narrowing={narrowing} set={set} />
              ))}
            </tbody>
          </table>
        </details>
      )}
      <Apart what="the engine's housekeeping" load="housekeeping" of={housekeeping} {...{ narrowing, set }} />
      <Apart what="Swift Ledger itself" load="own" of={own} {...{ narrowing, set }} />
    </>
  );
}

const keyOf = (c: Caller) => `${c.database}\n${c.user}\n${c.application}`;

type Named = { user: boolean; database: boolean };

function Row({ caller: c, named, narrowing, set }: { caller: Caller; named: Named } & Omit<Props, "book">) {
  const chosen =
    !narrowing.load &&
    narrowing.application === c.application &&
    narrowing.user === c.user &&
    narrowing.database === c.database;
  return (
    <tr className={chosen ? "bg-chosen" : ""}>
      <th scope="row">
        <button
          type="button"
          className="link text-left break-all"
          aria-pressed={chosen}
          onClick={() =>
            set(
              chosen
                ? { application: undefined, user: undefined, database: undefined }
                : {
                    application: c.application || undefined,
                    user: c.user || undefined,
                    database: c.database || undefined,
                    load: undefined,
                  },
            )
          }
        >
          {c.application || "without a name"}
        </button>
      </th>
      {named.user && <td className="break-all">{c.user}</td>}
      {named.database && <td className="break-all">{c.database}</td>}
      <td className="num">{three(c.seconds)}</td>
      <td className="num">{percent(c.share)}</td>
      <td className="num">{count(c.calls)}</td>
    </tr>
  );
}

/** Load that is in none of the sums unless somebody asks for it. */
function Apart(p: { what: string; load: string; of: Caller[] } & Omit<Props, "book">) {
  const calls = p.of.reduce((n, c) => n + c.calls, 0);
  const seconds = p.of.reduce((n, c) => n + c.seconds, 0);
  const chosen = p.narrowing.load === p.load;
  if (calls === 0) {
    return null;
  }
  return (
    <p className="text-sm">
      Apart: {count(calls)} {calls === 1 ? "statement" : "statements"} of {p.what}, {three(seconds)} s.{" "}
      <button
        type="button"
        className="link"
        aria-pressed={chosen}
        onClick={() =>
          p.set({
            load: chosen ? undefined : p.load,
            application: undefined,
            user: undefined,
            database: undefined,
          })
        }
      >
        {chosen ? "back to applications" : "look at them"}
      </button>
    </p>
  );
}
