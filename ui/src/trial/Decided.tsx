import { Link } from "@tanstack/react-router";
import type { TrialPageView } from "../api/client";
import { useTrialAction } from "../api/hooks";
import { moment } from "../format/figures";
import { Wrong } from "../parts/Notice";

/** By which rules the trial was decided, and what later rules make of the same evidence: beside it, never in its place. */
export function Decided({ page }: { page: TrialPageView }) {
  const decide = useTrialAction("decide");
  const by = page.decidedBy;
  if (!by) {
    return null;
  }
  return (
    <>
      <dt className="text-quiet">decided</dt>
      <dd>
        {moment(by.decidedAt)}, by{" "}
        {by.version === 0 ? "rules older than their numbers" : `version ${by.version} of the rules`}
        {by.version !== by.today && `; today's are version ${by.today}`}.{" "}
        <button
          type="button"
          className="link"
          disabled={decide.isPending}
          onClick={() => decide.mutate(page.trial.id)}
        >
          Decide anew
        </button>
        <Wrong error={decide.error} />
        {page.anew.map((a) => (
          <div key={a.number} className="mt-1 border-l-2 border-rule pl-3">
            <p>
              {moment(a.decidedAt)}, by version {a.rules}: {a.headline}.
            </p>
            {a.otherwise.length === 0 && <p className="text-quiet">Every line as it was decided first.</p>}
            <ul>
              {a.otherwise.map((l) => (
                <li key={l.line}>
                  <Link
                    className="link"
                    to="/trials/$trialId/lines/$line"
                    params={{ trialId: String(page.trial.id), line: String(l.line) }}
                  >
                    {l.statement} {l.case}
                  </Link>
                  : {l.now}
                  {l.basis === "work" && " by work"}, and {l.first ?? "nothing"} first.{" "}
                  <span className="text-quiet">{l.message}</span>
                </li>
              ))}
            </ul>
          </div>
        ))}
      </dd>
    </>
  );
}
