import { Link } from "@tanstack/react-router";
import { useBooks } from "../api/hooks";
import { Frame } from "../parts/Frame";
import { EmptyState } from "../parts/Notice";

/** All books: one for each database that was ever tested. */
export function BooksView() {
  const books = useBooks();
  return (
    <Frame title="Books" of={books} reading="Reading the ledger.">
      <div className="min-h-0 flex-1 overflow-y-auto px-5 py-3">
        {books.data?.length === 0 && (
          <EmptyState wholePage title="No database has been tested yet">
            <p>
              A book opens with the first trial: name a SQLite file, its statements, and a change. Only copies
              are ever written to.
            </p>
            <Link to="/new" className="press main mt-3 inline-block" search={{}}>
              Start a trial
            </Link>
          </EmptyState>
        )}
        {books.data && books.data.length > 0 && (
          <>
            <div className="flex items-baseline justify-between">
              <h1 className="head">Books</h1>
              <Link to="/new" className="press" search={{}}>
                New trial
              </Link>
            </div>
            <table className="ruled mt-2">
              <thead>
                <tr>
                  <th scope="col">book</th>
                  <th scope="col">database</th>
                </tr>
              </thead>
              <tbody>
                {books.data.map((b) => (
                  <tr key={b.id}>
                    <td>
                      <Link
                        className="link font-semibold"
                        to="/books/$bookId"
                        params={{ bookId: String(b.id) }}
                        search={{}}
                      >
                        {b.name}
                      </Link>
                    </td>
                    <td className="break-all text-quiet">{b.subject ?? "captures only"}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </>
        )}
      </div>
    </Frame>
  );
}
