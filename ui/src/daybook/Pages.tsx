import type { Schemas } from "../api/client";
import { type Narrowing, usePages } from "../api/daybook";
import { count, three } from "../format/figures";
import { Wrong } from "../parts/Notice";

const shownAtFirst = 8;

/** How many statements each page, route or job sends for one unit of its work. */
export function Pages({ book, narrowing }: { book: number; narrowing: Narrowing }) {
  const { data: pages = [], error } = usePages(book, narrowing);
  if (pages.length === 0) {
    return <Wrong error={error} />;
  }
  return (
    <>
      <h3 className="section">Statements of a page</h3>
      <Table pages={pages.slice(0, shownAtFirst)} />
      {pages.length > shownAtFirst && (
        <details>
          <summary className="link text-sm">{count(pages.length - shownAtFirst)} more</summary>
          <Table pages={pages.slice(shownAtFirst)} />
        </details>
      )}
    </>
  );
}

function Table({ pages }: { pages: Schemas["PageRow"][] }) {
  return (
    <table className="ruled mb-1">
      <thead>
        <tr>
          <th scope="col">page</th>
          <th scope="col" className="num">
            units
          </th>
          <th scope="col" className="num">
            statements each
          </th>
          <th scope="col" className="num">
            ms each
          </th>
        </tr>
      </thead>
      <tbody>
        {pages.map((p) => (
          <tr key={p.page}>
            <th scope="row" className="break-all">
              {p.page}
            </th>
            <td className="num">{count(p.units)}</td>
            <td className="num">{three(p.perUnit)}</td>
            <td className="num">{three(p.msPerUnit)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Pages that send more or fewer statements for a unit since a deployment. */
export function PagesMoved({ pages }: { pages: Schemas["PageChangeRow"][] }) {
  const moved = pages.filter((p) => p.moved);
  if (moved.length === 0) {
    return null;
  }
  return (
    <>
      <h3 className="section">Statements of a page</h3>
      <ul>
        {moved.map((p) => (
          <li key={p.page}>
            <strong>{p.page}</strong> sends {three(p.perUnitBefore)} before, {three(p.perUnitAfter)} since (
            {count(p.unitsBefore)} and {count(p.unitsAfter)} units); {three(p.msBefore)} and{" "}
            {three(p.msAfter)} ms in the database each
          </li>
        ))}
      </ul>
    </>
  );
}
