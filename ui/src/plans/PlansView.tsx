import { getRouteApi, Link } from "@tanstack/react-router";
import { useState } from "react";
import { useLine } from "../api/hooks";
import { ratio } from "../format/figures";
import { Copy } from "../parts/Copy";
import { Frame } from "../parts/Frame";
import { VerdictMark } from "../parts/Mark";
import { EmptyState } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { Compared } from "./Compared";
import type { Choice } from "./choice";

const route = getRouteApi("/trials/$trialId/plans/$line");

/** The plans of a line over the whole width. */
export function PlansView() {
  const { trialId, line } = route.useParams();
  const query = useLine(Number(trialId), Number(line), false);
  const [choice, choose] = useState<Choice>(null);
  const page = query.data;
  const r = page?.line.result;
  return (
    <Frame
      title={r ? `Plans of ${r.statement}, trial ${trialId}` : undefined}
      at={
        <>
          <Link className="link" to="/trials/$trialId/lines/$line" params={{ trialId, line }}>
            trial {trialId}, line {line}
          </Link>
          {" / "}plans
        </>
      }
      of={query}
      reading="Reading the line."
    >
      {page && r && (
        <Page
          label="Plans"
          head={
            <>
              <h1 className="flex flex-wrap items-baseline gap-x-3 text-quiet">
                {r.statement}, case {r.case}
                {r.verdict && <VerdictMark verdict={r.verdict} basis={r.basis} />}
                {r.time && <span className="text-ink">{ratio(r.time.ratio)}</span>}
              </h1>
              <p className="head">
                {page.plans?.sentence ??
                  (page.plans?.samePlan ? "The same plan on both sides." : "No plan to compare.")}
              </p>
            </>
          }
        >
          {page.plans ? (
            <>
              <Compared
                comparison={page.plans}
                sql={{ before: page.beforeSql, after: page.afterSql }}
                choice={choice}
                choose={choose}
              />
              <p className="mt-4 flex flex-wrap gap-x-6 text-sm text-quiet">
                {(["before", "after"] as const).map((side) => (
                  <span key={side} className="flex gap-2">
                    plan {side} as
                    {["txt", "json", "svg"].map((f) => (
                      <a
                        key={f}
                        className="link"
                        href={`/api/trials/${trialId}/lines/${line}/plan.${f}?side=${side}`}
                        aria-label={`Plan ${side} as ${f === "txt" ? "text" : f.toUpperCase()}`}
                      >
                        {f === "txt" ? "text" : f.toUpperCase()}
                      </a>
                    ))}
                    <Copy
                      what={`plan ${side}`}
                      text={side === "before" ? page.beforePlanText : page.afterPlanText}
                    />
                  </span>
                ))}
              </p>
            </>
          ) : (
            <EmptyState title="There is no plan to show">
              This kind of statement has none, or it could not be prepared.
            </EmptyState>
          )}
        </Page>
      )}
    </Frame>
  );
}
