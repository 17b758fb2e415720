import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { useBooks, useLatestTrials } from "../api/hooks";
import { moment } from "../format/figures";
import { Frame } from "../parts/Frame";
import { Rows } from "../parts/Rows";
import { SmallStrip } from "../trial/SmallStrip";
import { FirstOfToday } from "./Today";

/** What the program is for, what one can do, and what came of it last in each book. */
export function BooksView() {
  const books = useBooks();
  const trials = useLatestTrials();
  const all = books.data ?? [];
  return (
    <Frame title="Books" of={books} reading="Reading the ledger.">
      <div className="min-h-0 flex-1 overflow-y-auto px-5 py-3">
        {books.data && (
          <>
            <h1 className="head">{all.length === 0 ? "No database has been tested yet" : "Books"}</h1>
            <p className="max-w-[80ch]">
              Swift Ledger runs the statements of an application before and after a change to its database, on
              private copies, and says which got dearer or cheaper, by how much, how sure that is, and why.
              {all.length === 0 && " A book opens with the first trial, or with the first log that is read."}
            </p>
            <Ways first={all.length === 0} />
          </>
        )}
        {all.length > 0 && (
          <table className="ruled mt-4">
            <thead>
              <tr>
                <th scope="col">book</th>
                <th scope="col">what matters today</th>
                <th scope="col">latest trial</th>
                <th scope="col" className="roomy">
                  its lines by change
                </th>
                <th scope="col" className="roomy">
                  database
                </th>
              </tr>
            </thead>
            <Rows>
              {all.map((b) => (
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
                  <td>
                    <FirstOfToday book={b.id} />
                  </td>
                  <Latest trial={trials.data?.find((t) => t.bookId === b.id)} />
                  <td className="roomy break-all text-quiet">{b.subject ?? "captures only"}</td>
                </tr>
              ))}
            </Rows>
          </table>
        )}
      </div>
    </Frame>
  );
}

/** The three ways to begin, the one that answers the question most people come with first. */
function Ways({ first }: { first: boolean }) {
  return (
    <ul className="mt-2 grid max-w-[80ch] gap-1">
      <li>
        <Link to="/new" className={first ? "press main inline-block" : "press inline-block"} search={{}}>
          {first ? "Start a trial" : "New trial"}
        </Link>{" "}
        Does this index, rewrite or migration help, and what does it hurt? Name a SQLite file or a server, its
        statements, and the change.
      </li>
      <li>
        <span className="font-semibold">What got slow, and since when?</span> Read a server's log into a
        book's daybook: <code>swift-ledger capture LOG --book NAME</code>, or in the daybook itself.
      </li>
      <li>
        <Link to="/plans" search={{}} className="link">
          Compare two plans
        </Link>{" "}
        or statements without any trial, or read{" "}
        <Link to="/glossary" className="link">
          what makes a statement cost more than it need
        </Link>
        .
      </li>
    </ul>
  );
}

function Latest({ trial }: { trial?: Schemas["TrialListItem"] }) {
  return (
    <>
      <td>
        {trial ? (
          <>
            <Link className="link" to="/trials/$trialId" params={{ trialId: String(trial.id) }}>
              {trial.title}
            </Link>{" "}
            <span className="whitespace-nowrap text-sm text-quiet">{moment(trial.at)}</span>
            <div className="text-sm text-quiet">{trial.headline ?? trial.state}</div>
          </>
        ) : (
          <span className="text-quiet">none yet</span>
        )}
      </td>
      <td className="roomy">{trial && <SmallStrip stems={trial.stems} />}</td>
    </>
  );
}
