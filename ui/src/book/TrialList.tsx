import { Link } from "@tanstack/react-router";
import type { Summary } from "../api/client";
import { moment } from "../format/figures";
import { EmptyState } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { SmallStrip } from "../trial/SmallStrip";

export function StateWord({ trial }: { trial: Summary }) {
  switch (trial.state) {
    case "waiting":
      return <>waits{trial.ahead > 0 ? `, ${trial.ahead} ahead of it` : ""}</>;
    case "running":
      return <strong>being measured now</strong>;
    default:
      return <span className={trial.state === "finished" ? "" : "text-failed"}>{trial.state}</span>;
  }
}

export function TrialList({ trials }: { trials: Summary[] }) {
  if (trials.length === 0) {
    return (
      <EmptyState title="No trials yet">
        A trial runs the workload before and after a change, on private copies.
      </EmptyState>
    );
  }
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col" className="num">
            no.
          </th>
          <th scope="col">trial</th>
          <th scope="col" className="roomy">
            lines by change
          </th>
          <th scope="col">started</th>
        </tr>
      </thead>
      <Rows>
        {trials.map((t) => (
          <tr key={t.id}>
            <td className="num text-quiet">{t.id}</td>
            <td>
              <Link className="link" to="/trials/$trialId" params={{ trialId: String(t.id) }}>
                {t.title}
              </Link>
              <div className="text-sm text-quiet">
                {t.state === "finished" ? t.headline : <StateWord trial={t} />}
                {t.state !== "finished" && t.message ? `: ${t.message}` : ""}
              </div>
            </td>
            <td className="roomy">
              <SmallStrip stems={t.stems} />
            </td>
            <td className="whitespace-nowrap text-sm text-quiet">{moment(t.startedAt ?? t.createdAt)}</td>
          </tr>
        ))}
      </Rows>
    </table>
  );
}
