import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { useDeploy, useLive } from "../api/holds";
import { exactly, three } from "../format/figures";
import { Wrong } from "../parts/Notice";

/** The stand-in for the huts' application, where this book is its: what it runs, what it can be deployed with, and how far the story is. */
export function Live({ book }: { book: number }) {
  const live = useLive();
  const deploy = useDeploy();
  const view = live.data;
  const client = useQueryClient();
  const story = `${view?.version} ${view?.steps.filter((s) => s.at).length}`;

  // Each step of the story is something new in the book.
  // biome-ignore lint/correctness/useExhaustiveDependencies: the story is what it waits for
  useEffect(() => {
    client.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "live" });
  }, [client, story]);
  if (!view?.on || view.book !== book) {
    return null;
  }
  const next = view.steps.findIndex((s) => s.at === null);
  return (
    <section aria-label="The huts' application" className="mb-4 border border-strong p-3">
      <p className="flex flex-wrap items-baseline gap-x-4">
        <strong>The huts' application</strong>
        <span>
          {view.answers
            ? `version ${view.version}, ${three(view.perSecond)} executions a second`
            : "does not answer"}
        </span>
        <span className="text-quiet tabular-nums">
          its clock: {exactly(view.clock)}, {view.pace}x
        </span>
        {view.held.length > 0 && (
          <span className="font-semibold text-unsettled">runs as held: {view.held.join(", ")}</span>
        )}
      </p>
      <ol className="mt-2">
        {view.steps.map((s, i) => (
          <li key={s.text} className={`flex ${i === next ? "font-semibold" : s.at ? "" : "text-quiet"}`}>
            <span aria-hidden="true" className="w-6 shrink-0">
              {s.at ? "✓" : i === next ? "▸" : ""}
            </span>
            {s.text}
            <span className="sr-only">{s.at ? ", done" : i === next ? ", under way" : ", to come"}</span>
          </li>
        ))}
      </ol>
      <div className="mt-2 flex flex-wrap gap-2">
        {view.versions.map((v) => (
          <button
            key={v.version}
            type="button"
            className="press"
            disabled={v.refusal !== null || deploy.isPending}
            title={v.refusal ?? undefined}
            onClick={() => deploy.mutate(v.version)}
          >
            Deploy {v.version}: {v.title.charAt(0).toLowerCase() + v.title.slice(1)}
          </button>
        ))}
      </div>
      {view.problem && <p className="mt-1 text-failed">{view.problem}</p>}
      <Wrong error={deploy.error} />
    </section>
  );
}
