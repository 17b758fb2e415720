import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { type Narrowing, useEvents } from "../api/daybook";
import { bytes, count, exactly, three } from "../format/figures";
import { Wrong } from "../parts/Notice";

type Count = Schemas["EventCount"];

/** What happened, in a few words, with how much of it. */
export function wordsOf(e: Count): string {
  const many = count(e.count);
  const s = e.count === 1 ? "" : "s";
  switch (e.kind) {
    case "lockWait":
      return `${many} wait${s} for locks, ${three(e.amount / 1000)} s in all`;
    case "deadlock":
      return `${many} deadlock${s}`;
    case "temporaryFile":
      return `${many} temporary file${s}, ${bytes(e.amount)} in all`;
    case "checkpoint":
      return `${many} checkpoint${s}, ${three(e.amount / 1000)} s in all`;
    default:
      return `${many} table${s} cleaned up by the server, ${three(e.amount / 1000)} s in all`;
  }
}

const nameOf: Record<Count["kind"], string> = {
  lockWait: "wait for a lock",
  deadlock: "deadlock",
  temporaryFile: "temporary file",
  checkpoint: "checkpoint",
  maintenance: "cleaning up",
};

function amountOf(kind: Count["kind"], amount: number): string {
  return amount === 0 ? "" : kind === "temporaryFile" ? bytes(amount) : `${three(amount)} ms`;
}

/** What a server's log tells besides statements, in the span that is chosen. */
export function LogEvents({ book, narrowing }: { book: number; narrowing: Narrowing }) {
  const { data: page, error } = useEvents(book, narrowing);
  if (!page || page.counts.length === 0) {
    return <Wrong error={error} />;
  }
  return (
    <>
      <h3 className="section">What the log tells besides</h3>
      <ul className="mb-1">
        {page.counts.map((c) => (
          <li key={c.kind}>{wordsOf(c)}</li>
        ))}
      </ul>
      <details>
        <summary className="link text-sm">
          {page.events.length === 1 ? "the one" : `${count(page.events.length)} that stand out`}, the latest
          first
        </summary>
        <table className="ruled">
          <tbody>
            {page.events.map((e, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: events have no name of their own, and never move.
              <tr key={i}>
                <td className="whitespace-nowrap">{exactly(e.at)}</td>
                <td>
                  {nameOf[e.kind]} <span className="whitespace-nowrap">{amountOf(e.kind, e.amount)}</span>
                  {e.hash && (
                    <Link
                      className="line-clamp-2 font-mono text-xs leading-[1.35] break-words hover:underline"
                      to="/books/$bookId/statements/$hash"
                      params={{ bookId: String(book), hash: e.hash }}
                    >
                      {e.text || "everything else"}
                    </Link>
                  )}
                  <span className="block text-sm break-words text-quiet">{e.message}</span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </>
  );
}
