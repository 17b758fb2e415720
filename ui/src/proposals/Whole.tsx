import { Link } from "@tanstack/react-router";
import { goesOn } from "../api/batch";
import type { Schemas } from "../api/client";
import { type ProposalSearch, useProposalSearchAction } from "../api/proposals";
import { bytes, moment, percent, three } from "../format/figures";
import { Ask } from "../parts/Ask";
import { Rows } from "../parts/Rows";
import { Fact } from "./Brings";
import { change } from "./words";

/** What all of the set bring together, how to take them away, and what was left out. */
export function Whole({ book, page }: { book: number; page: ProposalSearch }) {
  const { set } = page;
  const chosen = page.proposals.filter((p) => p.item.fate === "inSet");
  const file = (name: string) => `/api/books/${book}/proposals/${page.id}/${name}`;
  return (
    <>
      {set && set.billBefore > 0 && (
        <>
          <p className="text-md">
            {set.changeHigh < 0 ? (
              <>
                The set of {chosen.length} brings a day's bill from {three(set.billBefore)} to{" "}
                <strong>{three(set.billAfter)} database-seconds</strong>,{" "}
                {percent(1 - set.billAfter / set.billBefore)} less
                {set.untold.length > 0 && `, by the statements that could be timed`}.
              </>
            ) : (
              <>The set of {chosen.length} does not bring the bill down: apply none of it unread.</>
            )}
          </p>
          <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
            <Fact name="95 % interval">
              {change(0, set.changeLow)} to {change(0, set.changeHigh)} s a day
            </Fact>
            <Fact name="cheaper">{set.improved.join(", ") || "no statement"}</Fact>
            <Fact name="dearer">{set.regressed.join(", ") || "no statement"}</Fact>
            {set.untold.length > 0 && (
              <Fact name="not in it">
                <span className="text-unsettled">{set.untold.join(", ")}: not timed long enough</span>
              </Fact>
            )}
            {set.writesBefore !== null && set.writesAfter !== null && (
              <Fact name="writes">
                {change(set.writesBefore, set.writesAfter)} s a day of {three(set.writesBefore)}
              </Fact>
            )}
            {set.sizeBytes !== null && (
              <Fact name="room">
                {set.sizeBytes < 0 ? "\u2212" : "+"}
                {bytes(Math.abs(set.sizeBytes))}
              </Fact>
            )}
            {page.setTrial !== null && (
              <Fact name="evidence">
                <Link className="link" to="/trials/$trialId" params={{ trialId: String(page.setTrial) }}>
                  trial {page.setTrial}
                </Link>
                , over {set.lines} lines: the whole workload
              </Fact>
            )}
          </dl>
        </>
      )}
      {!set && (
        <p className="max-w-xl text-quiet">
          {chosen.length > 0
            ? "What saves by itself may not save beside the others. Trying all builds the best set by exact counts, and measures it in one last trial over the whole workload."
            : "What is expected here was counted, not timed. Trying all measures each by a trial over every statement that it may touch, then the best set in one last trial over the whole workload."}
        </p>
      )}
      {chosen.length > 0 && (
        <p className="mt-3 flex flex-wrap gap-4">
          <a className="link" href={file("migration.sql")} download>
            migration
          </a>
          <a className="link" href={file("reverse.sql")} download>
            its reverse
          </a>
          <a className="link" href={file("result.json")} download>
            all as JSON
          </a>
        </p>
      )}
      {page.notes.length > 0 && (
        <>
          <h3 className="section">What was left out</h3>
          <ul>
            {page.notes.map((n) => (
              <li key={n} className="border-rule border-t py-1 first:border-0">
                {n}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

/** The searches of the book, each with an address of its own. */
export function Searches({
  book,
  list,
  shown,
}: {
  book: number;
  list: Schemas["ProposalSearchItem"][];
  shown?: number;
}) {
  const act = useProposalSearchAction(book);
  if (list.length === 0) {
    return <p className="text-quiet">Nothing was looked for in this book yet.</p>;
  }
  return (
    <section aria-label="Searches">
      {shown !== undefined && <h3 className="section">Searches</h3>}
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">when</th>
            <th scope="col" className="num">
              proposals
            </th>
            <th scope="col">
              <span className="sr-only">state, delete</span>
            </th>
          </tr>
        </thead>
        <Rows>
          {list.map((s) => (
            <tr key={s.id} className={s.id === shown ? "bg-chosen" : ""}>
              <td className="whitespace-nowrap">
                <Link
                  className="link"
                  to="/books/$bookId/proposals"
                  params={{ bookId: String(book) }}
                  search={{ search: s.id }}
                >
                  {moment(s.createdAt)}
                </Link>
              </td>
              <td className="num">{s.found}</td>
              <td className="w-full text-sm">
                <span className="mr-3 text-quiet">
                  {s.state !== "finished" && (s.message ?? (s.state === "waiting" ? "waits" : s.state))}
                </span>
                {!goesOn(s.state) && s.id !== shown && (
                  <Ask
                    press="delete"
                    title={`Delete the search of ${moment(s.createdAt)}?`}
                    doing="Delete it"
                    act={(done) => act.mutate({ search: s.id, act: "delete" }, { onSuccess: done })}
                  >
                    What it found goes with it; the trials that it made stay, and so does what was turned
                    down.
                  </Ask>
                )}
              </td>
            </tr>
          ))}
        </Rows>
      </table>
    </section>
  );
}
