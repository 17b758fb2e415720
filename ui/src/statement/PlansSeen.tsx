import type { Schemas } from "../api/client";
import { count, moment, three } from "../format/figures";
import { Sql } from "../parts/Sql";

type Statement = Schemas["StatementPage"];
type Plan = Statement["plans"][number];

const hour = 3_600_000;
// The places of the course above it.
const width = 760;
const left = 58;
const right = 8;

/** The plans that executions ran with, as far as the capture tells: when each was in use, and what it cost. */
export function PlansSeen({ page }: { page: Statement }) {
  if (page.plans.length === 0) {
    return null;
  }
  const from = Date.parse(page.course[0]?.at ?? page.plans[0]?.first ?? "");
  const last = page.course.at(-1);
  const to = last ? Date.parse(last.at) + page.stretchMinutes * 60_000 : from + hour;
  return (
    <>
      <h2 className="section">
        Plans seen{" "}
        <span className="font-normal text-quiet">
          by the hours in which an execution with it was captured
        </span>
      </h2>
      <ol>
        {page.plans.map((p, i) => (
          <li key={p.shape} className="mb-2">
            <p>
              <strong>Plan {i + 1}</strong>, {moment(p.first)} to {moment(p.last)}: {count(p.calls)}{" "}
              executions, {three(p.averageMs)} ms on average
            </p>
            <Strip plan={p} from={from} to={to} />
            <Sql text={p.outline} label={`Plan ${i + 1}`} />
          </li>
        ))}
      </ol>
    </>
  );
}

function Strip({ plan, from, to }: { plan: Plan; from: number; to: number }) {
  const x = (at: number) => left + ((at - from) / Math.max(hour, to - from)) * (width - left - right);
  return (
    <svg
      viewBox={`0 0 ${width} 10`}
      className="mt-0.5 mb-1 block w-full max-w-[900px]"
      role="img"
      aria-label={`in use in ${plan.hours.length} hours between ${moment(plan.first)} and ${moment(plan.last)}`}
    >
      <rect x={left} width={width - left - right} height={10} className="fill-none stroke-rule" />
      {plan.hours.map((h) => (
        <rect
          key={h}
          x={x(Date.parse(h))}
          width={Math.max(1, x(from + hour) - x(from))}
          height={10}
          className="fill-ink"
        />
      ))}
    </svg>
  );
}
