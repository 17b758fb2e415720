import { Link } from "@tanstack/react-router";
import { useGate } from "../api/gate";
import { moment } from "../format/figures";
import { stateInks, stateWords } from "../gate/words";

/** What the last check of a change found, and the way to all limits; a line where none was posted yet. */
export function LastCheck({ book }: { book: number }) {
  const page = useGate(book, undefined).data;
  const last = page?.checks[0];
  const link = (
    <Link to="/books/$bookId/gate" params={{ bookId: String(book) }} search={{}} className="link">
      what must hold
    </Link>
  );
  if (!page || !last) {
    return <p className="mt-6 text-sm text-quiet">In CI: {link}, limits that a change has to keep.</p>;
  }
  const near = page.limits.filter((l) => l.nears !== null).length;
  return (
    <>
      <h3 className="section">Last check</h3>
      <p>
        <span className={stateInks[last.state]}>{stateWords[last.state]}</span>: {last.headline}
        {near > 0 && ` ${near} near.`}
      </p>
      <p className="text-sm text-quiet">
        {moment(last.at)}
        {last.branch && `, ${last.branch}`}: {link}
      </p>
    </>
  );
}
