import type { ReactNode } from "react";
import { type Problem, Refused } from "../api/client";

/** A state in which there is nothing to show: what is missing, why, and the one next action. */
export function EmptyState(p: { title: string; wholePage?: boolean; children?: ReactNode }) {
  const Heading = p.wholePage ? "h1" : "h2";
  return (
    <div className="max-w-md py-8">
      <Heading className="head">{p.title}</Heading>
      <div className="mt-1 text-quiet">{p.children}</div>
    </div>
  );
}

export function Failure({ error, retry }: { error: Error; retry?: () => void }) {
  const missing = error instanceof Refused && error.status === 404;
  return (
    <div role="alert" className="max-w-xl px-5 py-8">
      <h2 className={`head ${missing ? "" : "text-failed"}`}>
        {missing ? "There is nothing at this address" : "This could not be loaded"}
      </h2>
      <p className="mt-1">{error.message}</p>
      {missing && (
        <a className="link mt-3 inline-block" href="/">
          Go to the books
        </a>
      )}
      {!missing && retry && (
        <button type="button" className="press mt-3" onClick={retry}>
          Try again
        </button>
      )}
    </div>
  );
}

/** What went wrong with something just done, beside it. */
export function Wrong({ error }: { error: Error | null }) {
  return (
    error && (
      <p role="alert" className="mt-1 text-failed">
        {error.message}
      </p>
    )
  );
}

const partNames: Record<string, string> = {
  subject: "Database",
  workload: "Workload",
  change: "Change",
  options: "Settings",
  rules: "Rules",
  request: "Request",
};

/** What is wrong, where, and what to do. */
export function Problems({ problems, go }: { problems: Problem[]; go?: (problem: Problem) => void }) {
  if (problems.length === 0) {
    return null;
  }
  return (
    <div role="alert">
      <ul className="border-l-2 border-failed pl-3">
        {problems.slice(0, 12).map((p) => (
          <li key={`${p.part}:${p.line}:${p.column}:${p.message}`}>
            {go && p.line ? (
              <button type="button" className="link font-semibold text-failed" onClick={() => go(p)}>
                {partNames[p.part]}, line {p.line}, column {p.column}
              </button>
            ) : (
              <span className="font-semibold text-failed">
                {partNames[p.part]}
                {p.line ? `, line ${p.line}, column ${p.column}` : ""}
              </span>
            )}{" "}
            {p.message}
          </li>
        ))}
        {problems.length > 12 && <li className="text-quiet">and {problems.length - 12} more</li>}
      </ul>
    </div>
  );
}
