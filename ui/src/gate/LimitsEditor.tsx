import { useEffect, useState } from "react";
import { type Problem, Refused } from "../api/client";
import { type Limits, useKeepLimits, useLimits } from "../api/gate";
import { Failure, Problems, Wrong } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { SqlEditor } from "../parts/SqlEditor";

type Place = { line: number; column: number };

/** The limits of a book as text: budgets above the statements of its workload, and rules for all of them. */
export function LimitsEditor({ book, close }: { book: number; close: () => void }) {
  const limits = useLimits(book);
  const keep = useKeepLimits(book);
  const [workload, setWorkload] = useState<string>();
  const [rules, setRules] = useState<string>();
  const [place, setPlace] = useState<{ part: string; at: Place }>();
  // What is being edited: it may not be what the book has by the time that it is sent.
  const [was, setWas] = useState<Limits>();
  const begin = (at: Limits) => {
    setWas(at);
    setWorkload(at.workload);
    setRules(at.rules);
  };
  const kept = limits.data;
  useEffect(() => {
    if (kept && !was) {
      begin(kept);
    }
  });
  if (limits.error) {
    return <Failure error={limits.error} retry={() => limits.refetch()} />;
  }
  const problems = keep.error instanceof Refused ? keep.error.problems : [];
  const changed = was !== undefined && (workload !== was.workload || rules !== was.rules);
  const overtaken = keep.error instanceof Refused && keep.error.status === 409;
  const send = (edit: { was: Limits; now: Limits }) =>
    keep.mutate(edit, { onSuccess: () => setWas(edit.now) });
  const go = (p: Problem) =>
    p.line && setPlace({ part: p.part, at: { line: p.line, column: p.column ?? 1 } });
  const of = (part: string) => ({
    problems: problems.filter((p) => p.part === part),
    place: place?.part === part ? place.at : null,
  });
  return (
    <Page
      label="Limits as text"
      head={
        <>
          <div className="flex items-baseline justify-between gap-3">
            <h2 className="head">Limits as text</h2>
            <button type="button" className="link text-quiet" onClick={close}>
              close
            </button>
          </div>
          <p className="max-w-prose text-quiet">
            Trials that are asked for from now on are held to them. A check in CI has files of its own: the
            same text, committed with the statements.
          </p>
          <div className="mt-2 flex items-baseline gap-3">
            <button
              type="button"
              className="press main"
              disabled={!changed || keep.isPending}
              onClick={() => was && send({ was, now: { workload: workload ?? "", rules: rules ?? "" } })}
            >
              Keep
            </button>
            <span role="status" className="text-quiet">
              {keep.isSuccess && !changed ? "Kept." : ""}
            </span>
          </div>
          {keep.error && (
            <div className="mt-2">
              {problems.length > 0 ? <Problems problems={problems} go={go} /> : <Wrong error={keep.error} />}
              {overtaken && (
                <button
                  type="button"
                  className="press mt-1"
                  onClick={() =>
                    limits.refetch().then(({ data }) => {
                      if (data) {
                        begin(data);
                        keep.reset();
                      }
                    })
                  }
                >
                  Edit what the book has now
                </button>
              )}
            </div>
          )}
        </>
      }
    >
      {workload !== undefined && rules !== undefined && (
        <>
          <h3 className="section mt-2">Workload, with a budget above a statement</h3>
          <div className="flex h-72 flex-col">
            <SqlEditor label="Workload" value={workload} onChange={setWorkload} {...of("workload")} />
          </div>
          <h3 className="section">Rules for all statements, one a line</h3>
          <div className="flex h-40 flex-col">
            <SqlEditor plain label="Rules" value={rules} onChange={setRules} {...of("rules")} />
          </div>
          <p className="mt-1 text-sm text-quiet">
            <code>tables read whole: over 10000 rows</code>, and{" "}
            <a className="link" href="/glossary#rule-whole-table">
              what else can be limited
            </a>
            .
          </p>
        </>
      )}
    </Page>
  );
}
