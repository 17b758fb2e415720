import { useState } from "react";
import { useTables } from "../api/costs";
import type { Narrowing } from "../api/daybook";
import { count, percent, three } from "../format/figures";
import { Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";

const firstShown = 12;
const width = 64;

/** Tables by the time of the statements that name them, reads and writes apart; one of them narrows the list of statements. */
export function Tables({
  book,
  narrowing,
  set,
}: {
  book: number;
  narrowing: Narrowing;
  set: (part: Partial<Narrowing>) => void;
}) {
  const tables = useTables(book, narrowing);
  const [all, setAll] = useState(false);
  const rows = tables.data ?? [];
  if (rows.length === 0) {
    return <Wrong error={tables.error} />;
  }
  const most = Math.max(...rows.map((r) => r.readSeconds + r.writeSeconds), 1e-12);
  return (
    <section aria-label="Tables" id="tables">
      <h3 className="section">Tables, by the time of their statements</h3>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">table</th>
            <th scope="col" className="num">
              statements
            </th>
            <th scope="col" className="num">
              reads, s
            </th>
            <th scope="col" className="num">
              writes, s
            </th>
            <th scope="col" className="num">
              calls
            </th>
            <th scope="col">
              <span className="sr-only">its time as a bar</span>
            </th>
          </tr>
        </thead>
        <Rows>
          {(all ? rows : rows.slice(0, firstShown)).map((t) => (
            <tr key={t.table} className={t.table === narrowing.table ? "bg-chosen" : ""}>
              <td className="w-full break-words">
                <button
                  type="button"
                  className="link text-left"
                  aria-pressed={t.table === narrowing.table}
                  onClick={() => set({ table: t.table === narrowing.table ? undefined : t.table })}
                >
                  {t.table}
                </button>
              </td>
              <td className="num">{count(t.statements)}</td>
              <td className="num">{t.readCalls > 0 && three(t.readSeconds)}</td>
              <td className="num">{t.writeCalls > 0 && three(t.writeSeconds)}</td>
              <td className="num">{count(t.readCalls + t.writeCalls)}</td>
              <td title={`${percent(t.readShare)} of all time in reads, ${percent(t.writeShare)} in writes`}>
                <Bar read={(t.readSeconds / most) * width} write={(t.writeSeconds / most) * width} />
              </td>
            </tr>
          ))}
        </Rows>
      </table>
      <p className="text-sm text-quiet">
        <Bar read={10} write={0} /> read, <Bar read={0} write={10} /> written. A statement that names several
        tables counts in full for each of them.{" "}
        {rows.length > firstShown && (
          <button type="button" className="link" onClick={() => setAll(!all)}>
            {all ? "fewer" : `all ${count(rows.length)} tables`}
          </button>
        )}
      </p>
    </section>
  );
}

/** Reads hollow, writes solid. */
function Bar({ read, write }: { read: number; write: number }) {
  return (
    <svg
      width={Math.max(12, Math.ceil(read + write) + 2)}
      height={12}
      aria-hidden="true"
      className="inline-block align-middle"
    >
      {read > 0 && (
        <rect x={0.5} y={1.5} width={Math.max(1, read)} height={9} className="fill-none stroke-ink" />
      )}
      {write > 0 && <rect x={read + 0.5} y={1} width={Math.max(1, write)} height={10} className="fill-ink" />}
    </svg>
  );
}
