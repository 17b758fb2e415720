import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useFallbacks, useKeepFallback } from "../api/holds";
import { useListPin, usePins, useStanding, useTryPin } from "../api/plans";
import { Author, useAuthor } from "../ledger/Author";
import { Ask } from "../parts/Ask";
import { Wrong } from "../parts/Notice";

/** Keeps a proven text for the day on which the statement's plan gets dearer. */
function KeepFallback({ page }: { page: Schemas["LinePage"] }) {
  const keep = useKeepFallback(page.trial.bookId);
  const fallbacks = useFallbacks(page.trial.bookId);
  const [author, setAuthor] = useAuthor();
  const [factor, setFactor] = useState(1.5);
  const kept = fallbacks.data?.some(
    (f) => f.trialId === page.trial.id && f.hash === page.line.result.pattern && f.droppedAt === null,
  );
  return kept ? (
    <span className="text-quiet">kept as the statement's fall-back</span>
  ) : (
    <Ask
      press="keep this text as a fall-back"
      className="link"
      title={`Keep this text for ${page.line.result.statement}?`}
      doing="Keep it"
      error={keep.error}
      pending={keep.isPending}
      act={(done) =>
        keep.mutate(
          { trialId: page.trial.id, line: page.line.result.number, author, factor },
          { onSuccess: done },
        )
      }
    >
      When the statement leaves its standing plan and a call takes so many times as long, applications that
      ask are told to run this text instead. It is released when it does not help, or when an entry that
      speaks of the statement is live.
      <label className="mt-3 flex items-baseline gap-2">
        Times as long
        <input
          className="field w-20"
          inputMode="decimal"
          defaultValue={factor}
          onChange={(e) => setFactor(Number(e.target.value))}
        />
      </label>
      <div className="mt-2">
        <Author author={author} set={setAuthor} />
      </div>
    </Ask>
  );
}

/** What a team can do about a line's plan: let it stand, or hold the statement to the plan before until a real fix is there. */
export function PlanMeasures({ page }: { page: Schemas["LinePage"] }) {
  const book = page.trial.bookId;
  const hash = page.line.result.pattern;
  const standing = useStanding(book, hash);
  const tryPin = useTryPin();
  const listPin = useListPin(book);
  const pins = usePins(book);
  const navigate = useNavigate();
  const { before, after } = page.plans ?? {};
  const listed = pins.data?.some(
    (p) => p.trialId === page.trial.id && p.hash === hash && p.replacedAt === null,
  );
  return (
    <div className="mt-2 flex flex-wrap items-baseline gap-x-4 text-sm">
      {page.standing ? (
        <>
          <span className="text-quiet">
            standing plan since {page.standing.since.slice(0, 10)}
            {page.leavesStanding === false && ", kept"}
          </span>
          <button type="button" className="link" onClick={() => standing.mutate(null)}>
            let it go
          </button>
        </>
      ) : (
        before && (
          <button
            type="button"
            className="link"
            onClick={() => standing.mutate({ shape: before.shape, outline: page.beforePlanText, note: "" })}
          >
            make the plan before the standing plan
          </button>
        )
      )}
      {after && page.standing?.shape !== after.shape && !page.plans?.samePlan && (
        <button
          type="button"
          className="link"
          onClick={() => standing.mutate({ shape: after.shape, outline: page.afterPlanText, note: "" })}
        >
          make the plan after the standing plan
        </button>
      )}
      {page.pin === "offered" && (
        <button
          type="button"
          className="link"
          disabled={tryPin.isPending}
          onClick={() =>
            tryPin.mutate(
              { id: page.trial.id, number: page.line.result.number },
              { onSuccess: (t) => navigate({ to: "/trials/$trialId", params: { trialId: String(t.id) } }) },
            )
          }
        >
          try to hold it to the plan before
        </button>
      )}
      {page.pin === "proven" &&
        (listed ? (
          <span className="text-quiet">listed among the book's temporary measures</span>
        ) : (
          <button
            type="button"
            className="link"
            onClick={() => listPin.mutate({ trialId: page.trial.id, line: page.line.result.number })}
          >
            list this pin as a temporary measure
          </button>
        ))}
      {page.fallback && <KeepFallback page={page} />}
      <Link className="link" to="/books/$bookId/plans/$hash" params={{ bookId: String(book), hash }}>
        history of its plans
      </Link>
      <Wrong error={standing.error ?? tryPin.error ?? listPin.error ?? pins.error} />
    </div>
  );
}
