import { getRouteApi, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { type Narrowing, useDaybook, usePatterns, type Whose } from "../api/daybook";
import { useWatches } from "../api/watch";
import { BookLink, Frame } from "../parts/Frame";
import { EmptyState } from "../parts/Notice";
import { Spread } from "../parts/Spread";
import { Watches } from "../watch/Watches";
import { DaybookHead } from "./DaybookHead";
import { DeploymentList } from "./DeploymentList";
import { EffectPanel } from "./EffectPanel";
import { dashOf, measureOf } from "./measures";
import { ReadCapture } from "./ReadCapture";
import { Statements } from "./Statements";
import { Timeline } from "./Timeline";

const route = getRouteApi("/books/$bookId/daybook");

/** How many patterns are listed at first; the rest comes on demand. */
const firstShown = 60;
const mostShown = 20_000;

/** What was executed over time: the course with its deployments above, the patterns of the chosen span below. */
export function DaybookView() {
  const id = Number(route.useParams().bookId);
  const search = route.useSearch();
  const navigate = useNavigate();
  const { measure: measureKey, rank = "total", deployment, since, until, apart, ...narrowing } = search;
  const daybook = useDaybook(id, narrowing, { since, until, apart }, measureOf(measureKey).percentile);
  const [limit, setLimit] = useState(firstShown);
  const patterns = usePatterns(id, narrowing, rank, limit);
  const watches = useWatches(id).data?.watches ?? [];
  const page = daybook.data;
  const set = (part: Partial<typeof search>) =>
    navigate({
      to: "/books/$bookId/daybook",
      params: { bookId: String(id) },
      search: { ...search, ...part },
      replace: true,
    });
  return (
    <Frame
      title={page ? `Daybook of ${page.bookName}` : undefined}
      at={
        <>
          <BookLink id={id} name={page?.bookName} /> / Daybook
        </>
      }
      of={daybook}
      reading="Reading the daybook."
    >
      {page && !(page.from && page.to) && <Nothing page={page} />}
      {page?.from && page.to && (
        <>
          <DaybookHead page={page} search={search} set={set} />
          <div className="shrink-0 px-5">
            <Timeline
              course={page.course}
              apart={page.apart.map((a) => ({
                key: a.source,
                course: a.course,
                dash: dashOf(page, a.source),
              }))}
              from={page.courseFrom ?? page.from}
              to={page.courseTo ?? page.to}
              minutes={page.stretchMinutes}
              measure={measureOf(measureKey)}
              deployments={page.deployments}
              chosen={deployment}
              span={spanOf(search)}
              select={(s) =>
                set(
                  s
                    ? { from: new Date(s.from).toISOString(), to: new Date(s.to).toISOString() }
                    : { from: undefined, to: undefined },
                )
              }
              open={(d) => set({ deployment: d })}
              watches={watches}
              openWatch={(w) =>
                navigate({
                  to: "/books/$bookId/watches/$watchId",
                  params: { bookId: String(id), watchId: String(w) },
                })
              }
            />
          </div>
          <div className="min-h-0 flex-1 border-t border-ink">
            <div className="flex h-full">
              <Spread
                name="daybook"
                start={0.63}
                left={
                  <Statements
                    book={id}
                    narrowing={narrowing}
                    rank={rank}
                    patterns={patterns.data}
                    failure={patterns.error}
                    set={set}
                    more={() => setLimit((n) => Math.min(n * 4, mostShown))}
                  />
                }
                right={
                  deployment ? (
                    <EffectPanel
                      key={deployment}
                      book={id}
                      deployment={deployment}
                      whose={whoseOf(search)}
                      close={() => set({ deployment: undefined })}
                    />
                  ) : (
                    <DeploymentList
                      page={page}
                      narrowing={narrowing}
                      set={set}
                      open={(d) => set({ deployment: d })}
                    />
                  )
                }
              />
            </div>
          </div>
        </>
      )}
    </Frame>
  );
}

function whoseOf({ sources, database, user, application, load }: Narrowing): Whose {
  return { sources, database, user, application, load };
}

function spanOf(search: Narrowing) {
  return search.from && search.to ? { from: Date.parse(search.from), to: Date.parse(search.to) } : null;
}

function Nothing({ page }: { page: Schemas["DaybookPage"] }) {
  return (
    <div className="overflow-y-auto px-5 pb-5">
      <EmptyState wholePage title="Nothing has been captured yet">
        Read a server's log to see which statements take the time, how they spread, and how they moved when
        something was deployed.
      </EmptyState>
      <ReadCapture book={page.bookName} />
      <Watches book={page.bookId} />
    </div>
  );
}
