import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { useToday } from "../api/entries";
import { count, exactly } from "../format/figures";
import { perDay } from "../ledger/Entries";
import { Wrong } from "../parts/Notice";

type Line = Schemas["TodayLine"];

/** How much a line asks for: a full bar for what is wrong, half a one for what waits for somebody, a frame for what goes on by itself. */
const asks: Record<Line["kind"], { weight: "full" | "half" | "frame"; word: string; ink: string }> = {
  ledgerAltered: { weight: "full", word: "ledger altered", ink: "text-failed" },
  promiseBroken: { weight: "full", word: "promise", ink: "text-dearer" },
  dearer: { weight: "full", word: "dearer", ink: "text-dearer" },
  unannounced: { weight: "half", word: "unannounced", ink: "text-unsettled" },
  captureStopped: { weight: "half", word: "stopped", ink: "text-unsettled" },
  alertLost: { weight: "half", word: "not sent", ink: "text-unsettled" },
  offPlan: { weight: "half", word: "other plan", ink: "text-unsettled" },
  held: { weight: "half", word: "held", ink: "text-unsettled" },
  pinned: { weight: "half", word: "pinned", ink: "text-unsettled" },
  staleStatistics: { weight: "half", word: "statistics", ink: "text-unsettled" },
  limitNears: { weight: "half", word: "limit near", ink: "text-unsettled" },
  beingWatched: { weight: "frame", word: "live", ink: "text-quiet" },
  open: { weight: "frame", word: "proposed", ink: "text-quiet" },
  underWay: { weight: "frame", word: "runs", ink: "text-quiet" },
};

/** What matters in a book today, the most first. */
export function Today({ book }: { book: number }) {
  const today = useToday(book);
  const data = today.data;
  if (!data) {
    return <Wrong error={today.error} />;
  }
  return (
    <section aria-label="Today" className="mb-4">
      {data.lines.length === 0 ? (
        <p className="text-quiet">
          {data.since
            ? `Nothing got dearer since ${data.since.version} ${data.since.what}, no promise is broken, and nothing waits.`
            : data.seen
              ? "No promise is broken, and nothing waits. No deployment is known in the time that the captures cover."
              : "Nothing waits. With a log in the daybook, this page also says what got dearer, and since when."}
        </p>
      ) : (
        <ul>
          {data.lines.map((l) => (
            <li
              key={`${l.kind} ${l.text}`}
              className="flex items-baseline gap-3 border-rule border-t py-1 first:border-0"
            >
              <span className={`w-28 shrink-0 whitespace-nowrap font-semibold ${asks[l.kind].ink}`}>
                <Weight of={asks[l.kind].weight} />
                {asks[l.kind].word}
              </span>
              <span className="min-w-0 grow">
                <Leading book={book} line={l} />
              </span>
              {typeof l.perDay === "number" && (
                <span className="shrink-0 whitespace-nowrap tabular-nums">{perDay(l.perDay)} a day</span>
              )}
            </li>
          ))}
        </ul>
      )}
      {data.seen && <p className="text-quiet text-sm">The daybook reaches to {exactly(data.seen)}.</p>}
    </section>
  );
}

function Weight({ of }: { of: "full" | "half" | "frame" }) {
  return (
    <svg width="8" height="12" viewBox="0 0 8 12" aria-hidden="true" className="mr-2 inline-block">
      <rect x="0.7" y="0.7" width="6.6" height="10.6" fill="none" stroke="currentColor" strokeWidth="1.4" />
      {of !== "frame" && (
        <rect
          x="0.7"
          y={of === "full" ? 0.7 : 6}
          width="6.6"
          height={of === "full" ? 10.6 : 5.3}
          fill="currentColor"
        />
      )}
    </svg>
  );
}

function Leading({ book, line }: { book: number; line: Line }) {
  const bookId = String(book);
  const text = <span className="line-clamp-2 break-words">{line.text}</span>;
  if (line.entry) {
    return (
      <Link
        className="link"
        to="/books/$bookId/entries/$number"
        params={{ bookId, number: String(line.entry) }}
      >
        {text}
      </Link>
    );
  }
  if (line.hash) {
    return (
      <Link className="link" to="/books/$bookId/statements/$hash" params={{ bookId, hash: line.hash }}>
        {text}
      </Link>
    );
  }
  if (line.deployment) {
    return (
      <Link
        className="link"
        to="/books/$bookId/daybook"
        params={{ bookId }}
        search={{ deployment: line.deployment }}
      >
        {text}
      </Link>
    );
  }
  if (line.kind === "captureStopped" || line.kind === "alertLost") {
    return (
      <Link className="link" to="/books/$bookId/keep" params={{ bookId }}>
        {text}
      </Link>
    );
  }
  if (line.check) {
    return (
      <Link className="link" to="/books/$bookId/gate" params={{ bookId }} search={{ check: line.check }}>
        {text}
      </Link>
    );
  }
  if (line.kind === "staleStatistics") {
    return (
      <Link className="link" to="/books/$bookId/catalogue" params={{ bookId }}>
        {text}
      </Link>
    );
  }
  if (line.trial) {
    return (
      <Link className="link" to="/trials/$trialId" params={{ trialId: String(line.trial) }}>
        {text}
      </Link>
    );
  }
  if (line.rehearsal) {
    return (
      <Link
        className="link"
        to="/books/$bookId/rehearsals"
        params={{ bookId }}
        search={{ run: line.rehearsal }}
      >
        {text}
      </Link>
    );
  }
  if (line.search) {
    return (
      <Link
        className="link"
        to="/books/$bookId/proposals"
        params={{ bookId }}
        search={{ search: line.search }}
      >
        {text}
      </Link>
    );
  }
  return text;
}

/** The first of what matters in a book, for a list of books. */
export function FirstOfToday({ book }: { book: number }) {
  const lines = useToday(book).data?.lines;
  const first = lines?.[0];
  if (!lines) {
    return null;
  }
  return first ? (
    <>
      <span className={`mr-2 whitespace-nowrap font-semibold ${asks[first.kind].ink}`}>
        <Weight of={asks[first.kind].weight} />
        {asks[first.kind].word}
      </span>
      <Leading book={book} line={first} />
      {lines.length > 1 && <span className="text-quiet text-sm">and {count(lines.length - 1)} more</span>}
    </>
  ) : (
    <span className="text-quiet">nothing waits</span>
  );
}
