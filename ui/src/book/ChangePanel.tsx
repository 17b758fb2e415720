import { Link, useNavigate } from "@tanstack/react-router";
import { useEffect } from "react";
import { Refused, type Schemas, type Summary } from "../api/client";
import { useStartTrial } from "../api/hooks";
import { Problems } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { TrialList } from "./TrialList";

type Props = {
  book: Schemas["BookView"];
  change: Schemas["ChangeView"];
  trials: Summary[];
  close: () => void;
};

/** One change: what it says, and what came of it. */
export function ChangePanel({ book, change, trials, close }: Props) {
  const navigate = useNavigate();
  const start = useStartTrial();
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => e.key === "Escape" && close();
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [close]);
  const run = () =>
    start.mutate(
      {
        subject: book.subject ?? "",
        workload: book.workload,
        change: change.text,
        title: change.title,
        bookName: book.name,
        settings: null,
      },
      { onSuccess: (t) => navigate({ to: "/trials/$trialId", params: { trialId: String(t.id) } }) },
    );
  return (
    <Page
      label="Change"
      head={
        <>
          <h2 className="head">{change.title}</h2>
          {change.note && <p className="mt-1 max-w-prose text-quiet">{change.note}</p>}
          <div className="mt-2 flex gap-2">
            <button type="button" className="press main" onClick={run} disabled={start.isPending}>
              Run trial
            </button>
            <Link className="press" to="/new" search={{ book: book.id, change: change.id }}>
              Edit first
            </Link>
          </div>
          {start.error && (
            <div className="mt-2">
              {start.error instanceof Refused ? (
                <Problems problems={start.error.problems} />
              ) : (
                start.error.message
              )}
            </div>
          )}
        </>
      }
    >
      <h3 className="section mt-2">What is tested</h3>
      <Sql text={change.text} label="SQL of the change" />
      <h3 className="section">Trials of this change</h3>
      {trials.length > 0 ? <TrialList trials={trials} /> : <p className="text-quiet">Not run yet.</p>}
    </Page>
  );
}
