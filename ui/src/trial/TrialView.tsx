import { getRouteApi, Link, useMatch, useNavigate } from "@tanstack/react-router";
import { useEffect } from "react";
import { useDeleteTrial } from "../api/book";
import type { TrialPageView } from "../api/client";
import { useTrial, useTrialAction } from "../api/hooks";
import { count } from "../format/figures";
import { Ask } from "../parts/Ask";
import { Frame } from "../parts/Frame";
import { verdictOrder } from "../parts/Mark";
import { EmptyState, Problems } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { BillPanel } from "./BillPanel";
import { LinePanel } from "./LinePanel";
import { LinesTable } from "./LinesTable";
import { Progress } from "./Progress";
import type { LinesView } from "./rows";
import { Unlike } from "./Unlike";

const route = getRouteApi("/trials/$trialId");

/** The book, the trial, and what it came to so far. */
function titleOf(page: TrialPageView): string {
  const words = verdictOrder.map(
    (v) => [page.lines.filter((l) => l.result.verdict === v).length, v] as const,
  );
  const told = words.filter(([n]) => n > 0).map(([n, v]) => `${n} ${v}`);
  return `${told.slice(0, 2).join(", ") || page.trial.state}: trial ${page.trial.id}, ${page.bookName}`;
}

/** A trial: its lines on the left page; on the right, the bill or the selected line. */
export function TrialView() {
  const id = Number(route.useParams().trialId);
  const match = useMatch({ from: "/trials/$trialId/lines/$line", shouldThrow: false });
  const selected = match ? Number(match.params.line) : null;
  const trial = useTrial(id);
  const navigate = useNavigate();
  const page = trial.data;
  const view = route.useSearch();
  const keep = (to: LinesView) => navigate({ to: ".", search: to, replace: true });
  const open = (line: number | null) =>
    line === null
      ? navigate({ to: "/trials/$trialId", params: { trialId: String(id) }, search: view })
      : navigate({
          to: "/trials/$trialId/lines/$line",
          params: { trialId: String(id), line: String(line) },
          search: view,
          replace: selected !== null,
        });
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key === "Escape" && selected !== null && !document.querySelector("[role=dialog]")) {
        document.getElementById(`line-${selected}`)?.focus();
        navigate({ to: "/trials/$trialId", params: { trialId: String(id) }, search: view });
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [id, selected, navigate, view]);
  return (
    <Frame
      title={page ? titleOf(page) : undefined}
      at={
        page && (
          <>
            <Link
              className="link"
              to="/books/$bookId"
              params={{ bookId: String(page.trial.bookId) }}
              search={page.trial.changeId ? { change: page.trial.changeId } : {}}
            >
              {page.bookName}
            </Link>
            {" / "}trial {id}
          </>
        )
      }
      of={trial}
      reading="Reading the trial."
    >
      {page && (
        <Spread
          name="trial"
          start={0.56}
          left={
            page.trial.state === "refused" ? (
              <Page label="Trial" head={<Head page={page} />}>
                <RefusedTrial page={page} />
              </Page>
            ) : (
              <LinesTable
                page={page}
                head={<Head page={page} />}
                selected={selected}
                open={open}
                kept={[view, keep]}
              />
            )
          }
          right={
            selected !== null ? (
              <LinePanel
                trial={id}
                line={selected}
                live={trial.live}
                close={() => open(null)}
                limits={page.limits.filter((l) => l.line === selected)}
              />
            ) : (
              <BillPanel page={page} open={open} />
            )
          }
        />
      )}
    </Frame>
  );
}

function Head({ page }: { page: TrialPageView }) {
  const { trial, headline } = page;
  const navigate = useNavigate();
  const cancel = useTrialAction("cancel");
  const again = useTrialAction("again");
  const live = trial.state === "waiting" || trial.state === "running";
  const failure = cancel.error ?? again.error;
  const held = page.limits.filter((l) => l.state !== "noted");
  const broken = held.filter((l) => l.state === "broken").length;
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-x-3 gap-y-1">
        <div className="min-w-0 grow basis-80">
          <h1 className="text-quiet">{trial.title}</h1>
          <p className="head" aria-live="polite">
            {headline ?? (live ? "Being measured" : "No verdicts")}
            {broken > 0 && `; ${count(broken)} of ${count(held.length)} limits broken`}
          </p>
        </div>
        {live ? (
          <button
            type="button"
            className="press shrink-0"
            disabled={cancel.isPending}
            onClick={() => cancel.mutate(trial.id)}
          >
            Cancel
          </button>
        ) : (
          <span className="flex flex-wrap gap-2">
            <button
              type="button"
              className="press"
              disabled={again.isPending}
              onClick={() =>
                again.mutate(trial.id, {
                  onSuccess: (t) => navigate({ to: "/trials/$trialId", params: { trialId: String(t.id) } }),
                })
              }
            >
              Run again
            </button>
            <Link className="press" to="/new" search={{ trial: trial.id }}>
              Edit
            </Link>
            <Link className="press" to="/trials/$trialId/beside" params={{ trialId: String(trial.id) }}>
              Beside another
            </Link>
            <Link
              className="press"
              to="/books/$bookId/rehearsals"
              params={{ bookId: String(trial.bookId) }}
              search={{ trial: trial.id }}
            >
              Under load
            </Link>
            {trial.state === "finished" && (
              <Link
                className="press"
                to="/books/$bookId/post"
                params={{ bookId: String(trial.bookId) }}
                search={{ trial: trial.id }}
              >
                Post to the ledger
              </Link>
            )}
            <DeleteTrial page={page} />
          </span>
        )}
      </div>
      {failure && <p role="alert">{failure.message}</p>}
      <Unlike notes={page.environment?.notes ?? []} />
      {live && <Progress page={page} />}
      {!live && trial.state !== "finished" && (
        <p role="alert" className="border-l-2 border-failed pl-3">
          <strong>
            {trial.state === "refused"
              ? "Not measured"
              : trial.state === "cancelled"
                ? "Cancelled"
                : "Interrupted"}
            .
          </strong>{" "}
          {trial.state !== "refused" && trial.message}
        </p>
      )}
    </>
  );
}

/** A trial and all that it measured; what was made of it stays. */
function DeleteTrial({ page }: { page: TrialPageView }) {
  const { id, bookId } = page.trial;
  const gone = useDeleteTrial(id);
  const navigate = useNavigate();
  return (
    <Ask
      press="Delete"
      className="press"
      title={`Delete trial ${id}?`}
      doing="Delete the trial"
      error={gone.error}
      pending={gone.isPending}
      act={(done) =>
        gone.mutate(undefined, {
          onSuccess: () => {
            done();
            navigate({ to: "/books/$bookId", params: { bookId: String(bookId) }, search: {} });
          },
        })
      }
    >
      With it go its {page.lines.length} {page.lines.length === 1 ? "line" : "lines"} with their samples,
      plans and verdicts. The change, the workload, standing plans and temporary measures stay. There is no
      way back.
    </Ask>
  );
}

function RefusedTrial({ page }: { page: TrialPageView }) {
  return (
    <EmptyState title="This trial could not be measured">
      <Problems problems={page.problems} />
      <p className="mt-3">
        The texts are kept.{" "}
        <Link className="link" to="/new" search={{ trial: page.trial.id }}>
          Edit them
        </Link>{" "}
        and start again.
      </p>
    </EmptyState>
  );
}
