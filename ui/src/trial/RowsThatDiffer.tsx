import type { Schemas } from "../api/client";
import { count } from "../format/figures";

/** The first rows that only one side gave. */
export function RowsThatDiffer({ r }: { r: Schemas["ResultLine"] }) {
  const before = r.before.onlyHere;
  const after = r.after.onlyHere;
  if (!before || !after) {
    return null;
  }
  return (
    <section aria-label="Rows that differ">
      <h3 className="section">Rows that differ</h3>
      <OneSide rows={before} side="before" />
      <OneSide rows={after} side="after" />
    </section>
  );
}

function OneSide({ rows, side }: { rows: Schemas["RowsOnlyHere"]; side: "before" | "after" }) {
  if (rows.count === 0) {
    return <p className="text-quiet">None only {side}.</p>;
  }
  const label = `Only ${side}: ${rows.rows.length < rows.count ? `${rows.rows.length} of ` : ""}${count(rows.count)} ${rows.count === 1 ? "row" : "rows"}`;
  return (
    <section className="mt-1 overflow-x-auto" tabIndex={0} aria-label={label}>
      <table className="ruled">
        <caption className="text-left text-quiet">{label}</caption>
        <thead>
          <tr>
            {rows.columns.map((c, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: two columns may have one name
              <th key={i} scope="col" className="whitespace-nowrap">
                {c.name} <span className="font-normal text-quiet">{c.type}</span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.rows.map((row, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows may be alike
            <tr key={i}>
              {row.map((value, column) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: by its column
                <td key={column} className="whitespace-nowrap font-mono text-sm">
                  {value}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
