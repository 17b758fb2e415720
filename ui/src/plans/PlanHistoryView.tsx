import { getRouteApi, Link } from "@tanstack/react-router";
import { type ReactNode, useState } from "react";
import { usePlanHistory, useStanding } from "../api/plans";
import { count, moment, three } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { SideMark, VerdictMark } from "../parts/Mark";
import { EmptyState, Failure, Wrong } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { PlanCourse } from "./PlanCourse";

const route = getRouteApi("/books/$bookId/plans/$hash");

/** A statement's plans on a page of their own. */
export function PlanHistoryView() {
  const { bookId, hash } = route.useParams();
  return (
    <Frame
      title={`Plans of a statement, book ${bookId}`}
      at={
        <>
          <BookLink id={bookId} name={`book ${bookId}`} />
          {" / "}plans of a statement
        </>
      }
    >
      <Page label="Plan history">
        <h1 className="head pt-3">Which plan it ran with, when, and at what cost</h1>
        <PlanHistory
          book={Number(bookId)}
          hash={hash}
          empty={
            <EmptyState title="No trial saw this statement yet">
              Take it into the workload on its page in the daybook, and run a trial.
            </EmptyState>
          }
        />
      </Page>
    </Frame>
  );
}

/** The plans that trials saw of a statement, told apart by shape, with the one that stands. */
export function PlanHistory({ book, hash, empty }: { book: number; hash: string; empty?: ReactNode }) {
  const query = usePlanHistory(book, hash);
  const standing = useStanding(book, hash);
  const [shown, show] = useState<string | null>(null);
  if (query.error) {
    return <Failure error={query.error} retry={() => query.refetch()} />;
  }
  const seen = query.data?.seen ?? [];
  const stands = query.data?.standing;
  if (seen.length === 0 && !stands) {
    return query.isPending ? null : empty;
  }
  const shapes = [...new Map(seen.map((s) => [s.shape, s.text])).entries()];
  return (
    <>
      <PlanCourse book={book} hash={hash} seen={seen} />
      <h2 className="section">
        Plans in trials{" "}
        <span className="font-normal text-quiet">
          {count(shapes.length)} {shapes.length === 1 ? "plan" : "plans"}
          {stands ? `; one stands since ${stands.since.slice(0, 10)}` : "; none stands"}
        </span>
      </h2>
      <ol>
        {shapes.map(([shape, text], i) => (
          <li key={shape} className={`mb-2 ${shape === shown ? "bg-chosen" : ""}`}>
            <p className="flex items-baseline gap-3">
              <strong>Plan {i + 1}</strong>
              {stands?.shape === shape ? (
                <button type="button" className="link text-sm" onClick={() => standing.mutate(null)}>
                  stands; let it go
                </button>
              ) : (
                <button
                  type="button"
                  className="link text-sm"
                  onClick={() => standing.mutate({ shape, outline: text, note: "" })}
                >
                  make it the standing plan
                </button>
              )}
            </p>
            <Sql text={text} label={`Plan ${i + 1}`} />
          </li>
        ))}
        {stands && !shapes.some(([shape]) => shape === stands.shape) && (
          <li className="mb-2">
            <p>
              <strong>The standing plan</strong>, seen in none of these trials
            </p>
            <Sql text={stands.outline} label="Standing plan" />
          </li>
        )}
      </ol>
      <table className="ruled w-auto!">
        <thead>
          <tr>
            <th scope="col">plan</th>
            <th scope="col">trial</th>
            <th scope="col">side</th>
            <th scope="col">case</th>
            <th scope="col" className="num">
              median, ms
            </th>
            <th scope="col">verdict</th>
            <th scope="col">when</th>
          </tr>
        </thead>
        <tbody>
          {seen.map((s) => (
            <tr key={`${s.trialId}-${s.side}-${s.case}`} className={s.shape === shown ? "bg-chosen" : ""}>
              <td>
                <button
                  type="button"
                  className="link"
                  aria-pressed={s.shape === shown}
                  onClick={() => show(s.shape === shown ? null : s.shape)}
                >
                  plan {shapes.findIndex(([shape]) => shape === s.shape) + 1}
                </button>
                {s.standing === true && <strong> stands</strong>}
              </td>
              <td>
                <Link className="link" to="/trials/$trialId" params={{ trialId: String(s.trialId) }}>
                  {s.title}
                </Link>
              </td>
              <td className="whitespace-nowrap">
                <SideMark side={s.side as "before" | "after"} />
                {s.side}
              </td>
              <td>{s.case}</td>
              <td className="num">{s.medianMs !== null && three(s.medianMs)}</td>
              <td>{s.side === "after" && s.verdict && <VerdictMark verdict={s.verdict} />}</td>
              <td className="whitespace-nowrap text-quiet">{moment(s.at)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Wrong error={standing.error} />
    </>
  );
}
