import { Link } from "@tanstack/react-router";
import { type Narrowing, useJumps } from "../api/daybook";
import { exactly } from "../format/figures";
import { Wrong } from "../parts/Notice";

/** Statements that take far longer or less since some time, where no deployment is known that would explain it. */
export function Jumps({ book, narrowing }: { book: number; narrowing: Narrowing }) {
  const { from, to, sources, database, user, application, load } = narrowing;
  const { data: jumps = [], error } = useJumps(book, {
    from,
    to,
    sources,
    database,
    user,
    application,
    load,
  });
  if (jumps.length === 0) {
    return <Wrong error={error} />;
  }
  return (
    <>
      <h3 className="section">Jumps without a deployment</h3>
      <ul>
        {jumps.map((j) => (
          <li key={j.hash} className="mb-2">
            <strong className={j.ratio > 1 ? "text-regressed" : "text-improved"}>
              Since {exactly(j.at)}
            </strong>{" "}
            it {j.sentence}.{" "}
            <Link
              className="line-clamp-2 font-mono text-xs leading-[1.35] break-words hover:underline"
              title={j.text}
              to="/books/$bookId/statements/$hash"
              params={{ bookId: String(book), hash: j.hash }}
            >
              {j.text}
            </Link>
          </li>
        ))}
      </ul>
      <p className="text-sm text-quiet">
        No deployment is known near these. Record one above if there was, and its account tells the rest.
      </p>
    </>
  );
}
