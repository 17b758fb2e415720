import { useIndexUsers } from "../api/costs";
import { count, moment } from "../format/figures";

/** The indexes that the statement's captured plans went through, and since when. */
export function IndexesUsed({ book, hash }: { book: number; hash: string }) {
  const users = useIndexUsers(book);
  const mine = (users.data ?? []).filter((u) => u.hash === hash);
  if (mine.length === 0) {
    return null;
  }
  return (
    <>
      <h2 className="section">Indexes that its plans went through</h2>
      <table className="ruled w-auto!">
        <thead>
          <tr>
            <th scope="col">index</th>
            <th scope="col">since</th>
            <th scope="col">last</th>
            <th scope="col" className="num">
              executions captured
            </th>
          </tr>
        </thead>
        <tbody>
          {mine.map((u) => (
            <tr key={u.index}>
              <td className="font-mono text-sm">{u.index}</td>
              <td className="whitespace-nowrap">{moment(u.since)}</td>
              <td className="whitespace-nowrap">{moment(u.last)}</td>
              <td className="num">{count(u.calls)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
