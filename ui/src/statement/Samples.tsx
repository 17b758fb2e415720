import { Link } from "@tanstack/react-router";
import type { Sample } from "../api/daybook";
import { count, moment, three } from "../format/figures";
import { Sql } from "../parts/Sql";

const why: Record<string, string> = {
  slowest: "among the slowest",
  random: "drawn at random",
  error: "failed",
};

type Props = { samples: Sample[]; chosen: number | null; choose: (id: number | null) => void };

/** The executions that were kept, slowest first, with their parameters; one opens in full. */
export function Samples({ samples, chosen, choose }: Props) {
  const rows = [...samples].sort((a, b) => (b.ms ?? -1) - (a.ms ?? -1));
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col" className="num">
            ms
          </th>
          <th scope="col">when</th>
          <th scope="col">parameters</th>
          <th scope="col" className="num">
            rows read
          </th>
          <th scope="col" className="num">
            returned
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((s) => (
          <Row key={s.id} sample={s} open={s.id === chosen} choose={choose} />
        ))}
      </tbody>
    </table>
  );
}

function Row({ sample: s, open, choose }: { sample: Sample; open: boolean; choose: Props["choose"] }) {
  return (
    <>
      <tr className={open ? "bg-chosen" : ""}>
        <td className="num">{s.ms === null ? "" : three(s.ms)}</td>
        <td className="whitespace-nowrap">{moment(s.at)}</td>
        <td>
          <button
            type="button"
            aria-expanded={open}
            className="link line-clamp-1 text-left font-mono text-xs"
            onClick={() => choose(open ? null : s.id)}
          >
            {s.error ? <span className="text-failed">{s.error} </span> : ""}
            {s.binds || "without parameters"}
          </button>
        </td>
        <td className="num">{s.rowsRead === null ? "" : count(s.rowsRead)}</td>
        <td className="num">{s.rowsReturned === null ? "" : count(s.rowsReturned)}</td>
      </tr>
      {open && (
        <tr>
          <td colSpan={5} className="pb-2">
            <p className="text-sm text-quiet">
              {why[s.why]}, source {s.source}
              {s.session && `, session ${s.session}`}
              {s.application && `, application ${s.application}`}
              {s.user && `, user ${s.user}`}
            </p>
            {s.message && <p className="text-failed">{s.message}</p>}
            <Sql text={s.sql} label="SQL of this execution" />
            {s.plan && <Sql text={s.plan} label="Plan of this execution" />}
            {s.findings.map((f) => (
              <p key={`${f.kind} ${f.operator}`} className="mt-1 border-l-2 border-unsettled pl-2 text-sm">
                <Link to="/glossary" hash={f.kind} className="link font-semibold">
                  {f.title}
                </Link>{" "}
                {f.text}
              </p>
            ))}
          </td>
        </tr>
      )}
    </>
  );
}
