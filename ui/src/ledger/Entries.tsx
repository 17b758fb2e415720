import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useEntries, useGoOn } from "../api/entries";
import { three } from "../format/figures";
import { Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { Author, useAuthor } from "./Author";
import { stateOf, WordMark } from "./words";

/** What the book's ledger says: what was promised, what came of it, and what was changed without a word. */
export function Entries({ book }: { book: number }) {
  const page = useEntries(book);
  const data = page.data;
  if (!data) {
    return <Wrong error={page.error} />;
  }
  return (
    <section aria-label="Ledger">
      {data.fault && <Broken book={book} fault={data.fault} />}
      {data.known.map((k) => (
        <p key={k} className="mb-2 border-unsettled border-l-2 pl-2">
          {k}
        </p>
      ))}
      {data.entries.length === 0 ? (
        <p className="text-quiet">
          No entries yet. A finished trial or rehearsal becomes one by <em>Post to the ledger</em>: what it
          promises is then held against what comes of it.
        </p>
      ) : (
        <table className="ruled">
          <thead>
            <tr>
              <th scope="col" className="num">
                no.
              </th>
              <th scope="col">entry</th>
              <th scope="col">stands</th>
              <th scope="col" className="num">
                promised
              </th>
              <th scope="col" className="num">
                came
              </th>
            </tr>
          </thead>
          <Rows>
            {data.entries.map((e) => (
              <tr key={e.number}>
                <td className="num">{e.number}</td>
                <td className="w-full">
                  <Link
                    className="link"
                    to="/books/$bookId/entries/$number"
                    params={{ bookId: String(book), number: String(e.number) }}
                  >
                    {e.title}
                  </Link>
                  <div className="text-quiet text-sm">
                    {e.at.slice(0, 10)}, {e.author}
                  </div>
                </td>
                <td className="whitespace-nowrap">
                  {e.word ? (
                    <WordMark word={e.word} />
                  ) : (
                    <span className="text-quiet">{stateOf(e.state)}</span>
                  )}
                </td>
                <td className="num whitespace-nowrap">{perDay(e.promisedPerDay)}</td>
                <td className="num whitespace-nowrap">{perDay(e.observedPerDay)}</td>
              </tr>
            ))}
          </Rows>
        </table>
      )}
      {data.unannounced.length > 0 && (
        <>
          <h3 className="section">Changed without an entry</h3>
          <ul>
            {data.unannounced.map((d) => (
              <li key={d.id} className="border-rule border-t py-1 first:border-0">
                <Link
                  className="link"
                  to="/books/$bookId/daybook"
                  params={{ bookId: String(book) }}
                  search={{ deployment: d.id }}
                >
                  {d.at.slice(0, 16).replace("T", " ")} {d.version} {d.what}
                </Link>
                {d.script && <div className="truncate font-mono text-quiet text-sm">{d.script}</div>}
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** A ledger that was edited takes nothing more, until somebody answers for going on. */
function Broken({ book, fault }: { book: number; fault: string }) {
  const [open, setOpen] = useState(false);
  const [author, setAuthor] = useAuthor();
  const [reason, setReason] = useState("");
  const goOn = useGoOn(book);
  return (
    <div role="alert" className="mb-2 border-failed border-l-2 pl-2">
      <p className="text-failed">{fault} Nothing more is posted to it.</p>
      {open ? (
        <form
          className="mt-2 flex flex-col gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            goOn.mutate({ author, reason });
          }}
        >
          <p>
            What stands there is sealed as it stands, by an entry that says who went on and why. The break
            stays told.
          </p>
          <Author author={author} set={setAuthor} />
          <label className="flex flex-col">
            What is known of it
            <textarea
              className="field"
              rows={2}
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              required
            />
          </label>
          <button type="submit" className="press main self-start" disabled={goOn.isPending}>
            Go on behind it
          </button>
          <Wrong error={goOn.error} />
        </form>
      ) : (
        <button type="button" className="press mt-1" onClick={() => setOpen(true)}>
          Go on all the same
        </button>
      )}
    </div>
  );
}

/** Database-seconds a day, with their sign in words. */
export const perDay = (seconds: number | null | undefined) =>
  seconds === null || seconds === undefined
    ? ""
    : Math.abs(seconds) < 5e-4
      ? "no change"
      : `${three(Math.abs(seconds))} s ${seconds < 0 ? "less" : "more"}`;
