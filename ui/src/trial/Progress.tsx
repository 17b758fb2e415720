import { useEffect, useState } from "react";
import type { TrialPageView } from "../api/client";
import { elapsed } from "../format/figures";

/** What is being done now, what is settled already, how long it has taken and may still take. */
export function Progress({ page }: { page: TrialPageView }) {
  const [now, setNow] = useState(Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 1000);
    return () => clearInterval(timer);
  }, []);
  const { trial, stage } = page;
  if (trial.state === "waiting") {
    return (
      <p className="text-quiet">
        Waits for its turn{trial.ahead > 0 ? `: ${trial.ahead} ahead of it` : ""}. One trial measures at a
        time, so that none disturbs another.
      </p>
    );
  }
  const ended = page.lines.filter((l) => l.state === "ended").length;
  const total = page.lines.length;
  const seconds = trial.startedAt ? (now - new Date(trial.startedAt).getTime()) / 1000 : 0;
  const left = ended >= 5 && ended < total ? (seconds / ended) * (total - ended) : null;
  return (
    <div className="mt-1">
      <div
        role="progressbar"
        aria-label="Lines settled"
        aria-valuemin={0}
        aria-valuemax={total}
        aria-valuenow={ended}
        className="h-[5px] border border-strong"
      >
        <div className="h-full bg-ink" style={{ width: `${total === 0 ? 0 : (100 * ended) / total}%` }} />
      </div>
      <p className="truncate text-sm text-quiet">
        {ended} of {total} lines settled, {elapsed(seconds)} so far
        {left !== null && `, about ${elapsed(left)} to go`}
        {stage && `; ${stage.confirming ? "confirming: " : ""}${stage.stage} ${stage.detail ?? ""}`}
      </p>
    </div>
  );
}
