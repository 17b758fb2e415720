import { Link } from "@tanstack/react-router";
import { type Fallback, useFallbacks, useHoldAct } from "../api/holds";
import { count, exactly } from "../format/figures";
import { useAuthor } from "../ledger/Author";
import { Ask } from "../parts/Ask";
import { Wrong } from "../parts/Notice";
import { Sql } from "../parts/Sql";

const states = {
  verifying: "held, not told yet whether it helps",
  inForce: "held, and it helps",
  released: "released",
};

/** Texts that keep a statement's plan and come into force by themselves: which are ready, which are in force, and how often each was needed. */
export function Holds({ book }: { book: number }) {
  const fallbacks = useFallbacks(book);
  if (!fallbacks.data || fallbacks.data.length === 0) {
    return <Wrong error={fallbacks.error} />;
  }
  return (
    <section aria-label="Fall-backs">
      <h3 className="section">
        Fall-backs{" "}
        <span className="font-normal text-quiet">
          texts that come into force by themselves when a plan gets dearer
        </span>
      </h3>
      <ul>
        {fallbacks.data.map((f) => (
          <One key={f.id} book={book} fallback={f} />
        ))}
      </ul>
      <p className="text-quiet text-sm">
        Applications ask <code>/api/books/{book}/holds</code> for what is in force.
      </p>
    </section>
  );
}

function One({ book, fallback: f }: { book: number; fallback: Fallback }) {
  const act = useHoldAct(book);
  const [author, setAuthor] = useAuthor();
  const now = f.holds.find((h) => h.state !== "released");
  const by = (
    <label className="flex items-baseline gap-2">
      Who does it
      <input
        className="field grow"
        value={author}
        onChange={(e) => setAuthor(e.target.value)}
        autoComplete="name"
      />
    </label>
  );
  return (
    <li className="border-rule border-t py-1 first:border-0">
      <p className="flex flex-wrap items-baseline gap-x-3">
        <Link
          className="link font-semibold"
          to="/books/$bookId/statements/$hash"
          params={{ bookId: String(book), hash: f.hash }}
        >
          {f.statement}
        </Link>
        <span className={now ? "font-semibold text-unsettled" : "text-quiet"}>
          {now ? states[now.state] : f.droppedAt ? "let go" : `ready, from ${f.factor}x on`}
        </span>
        <span className="text-quiet">
          {f.holds.length > 0 &&
            `needed ${f.holds.length === 1 ? "once" : `${count(f.holds.length)} times`}; `}
          kept by {f.author},{" "}
          <Link className="link" to="/trials/$trialId" params={{ trialId: String(f.trialId) }}>
            trial {f.trialId}
          </Link>
        </span>
        <span className="ml-auto flex gap-3">
          {now && (
            <Ask
              press="release"
              className="link"
              title={`Release ${f.statement}?`}
              doing="Release it"
              error={act.error}
              act={(done) =>
                act.mutate({ act: "release", hold: now.id, author, reason: "" }, { onSuccess: done })
              }
            >
              Applications run the statement itself again. {by}
            </Ask>
          )}
          {!now && !f.droppedAt && (
            <>
              <Ask
                press="hold now"
                className="link"
                title={`Hold ${f.statement} now?`}
                doing="Hold it"
                error={act.error}
                act={(done) => act.mutate({ act: "hold", fallback: f.id, author }, { onSuccess: done })}
              >
                Whoever asks runs the text below instead, until it is released. {by}
              </Ask>
              <Ask
                press="let go"
                title={`Let the fall-back of ${f.statement} go?`}
                doing="Let it go"
                error={act.error}
                act={(done) => act.mutate({ act: "drop", fallback: f.id }, { onSuccess: done })}
              >
                It will not come into force any more.
              </Ask>
            </>
          )}
        </span>
      </p>
      {!f.watched && !f.droppedAt && (
        <p className="border-unsettled border-l-2 pl-2">
          No plan stands for this statement, so nothing brings it into force by itself.
        </p>
      )}
      {f.unfit && (
        <p className="border-failed border-l-2 pl-2">Its text cannot be prepared any more: {f.unfit}.</p>
      )}
      {f.turn && !now && <p>{f.turn}</p>}
      {f.holds.map((h) => (
        <div key={h.id} className="mt-1 border-rule border-l-2 pl-2">
          <p className="text-quiet">
            {exactly(h.openedAt)} by {h.openedBy}
            {h.releasedAt && `, until ${exactly(h.releasedAt)}`}
          </p>
          {h.turned && <p>{h.turned}</p>}
          <p>{h.brought}</p>
          {h.disobeyedCalls !== null && h.disobeyedCalls > 0 && (
            <p className="text-unsettled">
              The statement itself was still called {count(h.disobeyedCalls)} times since: somebody does not
              ask for holds.
            </p>
          )}
          {h.why && <p>{h.why}</p>}
        </div>
      ))}
      <Sql text={f.sql} label={`Fall-back of ${f.statement}`} />
    </li>
  );
}
