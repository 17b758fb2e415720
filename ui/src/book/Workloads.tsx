import { useState } from "react";
import { useTakeBack, useWorkloads } from "../api/book";
import { count, moment } from "../format/figures";
import { Failure, Wrong } from "../parts/Notice";
import { Sql } from "../parts/Sql";

const shownAtFirst = 4;

/** What the book's workload was, the latest first, and the way back to one. */
export function Workloads({ book }: { book: number }) {
  const versions = useWorkloads(book);
  const back = useTakeBack(book);
  const [shown, show] = useState<number | null>(null);
  const [all, setAll] = useState(false);
  if (versions.error) {
    return <Failure error={versions.error} retry={() => versions.refetch()} />;
  }
  const list = versions.data ?? [];
  if (list.length === 0) {
    return null;
  }
  return (
    <>
      <h2 className="section">Workload, by its versions</h2>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">kept</th>
            <th scope="col">why</th>
            <th scope="col" className="num">
              statements
            </th>
            <th scope="col">
              <span className="sr-only">what can be done with it</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {list.slice(0, all ? list.length : shownAtFirst).map((v) => (
            <tr key={v.id}>
              <td className="whitespace-nowrap text-quiet">{moment(v.keptAt)}</td>
              <td className="w-full">{v.why}</td>
              <td className="num">{count(v.statements)}</td>
              <td className="whitespace-nowrap text-sm">
                <button
                  type="button"
                  className="link"
                  aria-expanded={shown === v.id}
                  onClick={() => show(shown === v.id ? null : v.id)}
                >
                  {shown === v.id ? "fold" : "show"}
                </button>
                {v.inForce ? (
                  <strong className="ml-2">in force</strong>
                ) : (
                  <button
                    type="button"
                    className="link ml-2"
                    disabled={back.isPending}
                    onClick={() => back.mutate(v.id)}
                  >
                    take it back
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {list.length > shownAtFirst && !all && (
        <button type="button" className="link text-sm" onClick={() => setAll(true)}>
          and {count(list.length - shownAtFirst)} older
        </button>
      )}
      {list
        .filter((v) => v.id === shown)
        .map((v) => (
          <Sql key={v.id} text={v.text} label={`Workload of ${moment(v.keptAt)}`} />
        ))}
      <Wrong error={back.error} />
    </>
  );
}
