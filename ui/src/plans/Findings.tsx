import { Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { percent } from "../format/figures";
import type { Choice, Side } from "./choice";

type Finding = Schemas["FindingView"];

/** Pieces of SQL stand between backticks. */
const withCode = (text: string) =>
  text.split("`").map((part, i) =>
    i % 2 === 1 ? (
      // biome-ignore lint/suspicious/noArrayIndexKey: parts of one text stay in their place.
      <code key={i} className="font-mono text-sm">
        {part}
      </code>
    ) : (
      part
    ),
  );

/** What makes a plan cost more than it need: evidence, share, what people do; the operator one step away. */
export function Findings({
  findings,
  side,
  choose,
  none,
}: {
  findings: Finding[];
  side: Side;
  choose?: (choice: Choice) => void;
  none: string;
}) {
  if (findings.length === 0) {
    return <p className="text-quiet">{none}</p>;
  }
  return (
    <ol>
      {findings.map((f, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a finding may come twice, for two operators.
        <li key={i} className="border-t border-rule py-1 first:border-0">
          <p className="flex items-baseline gap-2">
            <Link to="/glossary" hash={f.kind} className="link font-semibold">
              {f.title}
            </Link>
            {f.share !== null && <span className="shrink-0 text-quiet">{percent(f.share)} of the time</span>}
            {f.operator !== null && choose && (
              <button
                type="button"
                className="link ml-auto shrink-0 text-quiet"
                onClick={() => choose({ side, at: f.operator ?? 0 })}
              >
                show
              </button>
            )}
          </p>
          <p>{withCode(f.text)}</p>
          {f.remedy && <p className="text-quiet">{f.remedy}</p>}
        </li>
      ))}
    </ol>
  );
}
