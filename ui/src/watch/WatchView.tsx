import { useParams } from "@tanstack/react-router";
import { useState } from "react";
import { useEndWatch, useWatch, type Watch, type WatchPage } from "../api/watch";
import { count, duration, elapsed, moment, percent, three } from "../format/figures";
import { BookLink, DaybookLink, Frame } from "../parts/Frame";
import { EmptyState, Wrong } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { wordOf } from "./kinds";
import { LoadRows } from "./LoadRows";
import { Moments } from "./Moments";

/** One look a second; the server takes no more. */
const lookEveryMs = 1000;

/** What a server's sessions did and waited for while it was watched. */
export function WatchView() {
  const params = useParams({ strict: false });
  const book = Number(params.bookId);
  const watch = useWatch(book, Number(params.watchId));
  const end = useEndWatch(book);
  const [chosen, choose] = useState<number | null>(null);
  const page = watch.data;
  return (
    <Frame
      title={page ? `Watch of ${page.bookName}` : undefined}
      at={
        <>
          <BookLink id={book} name={page?.bookName} />
          {" / "}
          <DaybookLink id={book} />
          {" / Watch"}
        </>
      }
      of={watch}
      reading="Reading the watch."
    >
      {page && (
        <>
          <div className="shrink-0 px-5 pt-3 pb-2">
            <div className="flex items-baseline justify-between gap-3">
              <h1 className="head">{headOf(page)}</h1>
              {page.watch.state === "running" && (
                <button type="button" className="press" disabled={end.isPending} onClick={() => end.mutate()}>
                  End the watch
                </button>
              )}
            </div>
            <Wrong error={end.error} />
            <p className="mb-2 text-quiet">{aboutOf(page.watch)}</p>
            <LoadRows page={page} />
          </div>
          <div className="flex min-h-0 flex-1 border-t border-ink">
            <Spread
              name="watch"
              left={
                <Page label="Statements seen active" head={<h2 className="head">Statements seen active</h2>}>
                  <Patterns page={page} />
                </Page>
              }
              right={
                <Page label="Kept moments" head={<h2 className="head">Kept moments</h2>}>
                  {page.moments.length === 0 ? (
                    <EmptyState
                      title={
                        page.watch.state === "running"
                          ? "Nothing has piled up yet, and nobody waits for another"
                          : "Nothing piled up, and nobody waited for another"
                      }
                    >
                      A look is kept whole when {page.watch.pileUp} sessions are active at once, or when one
                      begins to wait for another.
                    </EmptyState>
                  ) : (
                    <Moments moments={page.moments} chosen={chosen ?? busiest(page)} choose={choose} />
                  )}
                </Page>
              }
            />
          </div>
        </>
      )}
    </Frame>
  );
}

function Patterns({ page }: { page: WatchPage }) {
  if (page.patterns.length === 0) {
    return (
      <p className="text-quiet">
        {page.course.length === 0 ? "None yet." : "No session was active at any look."}
      </p>
    );
  }
  return (
    <>
      <table className="ruled w-full">
        <thead>
          <tr>
            <th scope="col" className="num w-16">
              share
            </th>
            <th scope="col" className="num w-16">
              looks
            </th>
            <th scope="col">statement, and where its time goes</th>
          </tr>
        </thead>
        <tbody>
          {page.patterns.map((p) => (
            <tr key={p.pattern}>
              <td className="num align-top">{percent(p.share)}</td>
              <td className="num align-top">{count(p.seen)}</td>
              <td>
                <code className="block max-h-12 overflow-hidden break-words text-sm">{p.sql}</code>
                <span className="text-sm text-quiet">
                  {p.kinds
                    .map((share, i) => ({ share, kind: page.kinds[i] ?? "" }))
                    .filter((k) => k.share > 0)
                    .sort((a, b) => b.share - a.share)
                    .map((k) => `${wordOf(k.kind)} ${percent(k.share)}`)
                    .join(", ")}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {page.patternCount > page.patterns.length && (
        <p className="text-quiet">{count(page.patternCount - page.patterns.length)} more were seen less.</p>
      )}
    </>
  );
}

/** What the load was made of, at first glance. */
function headOf(page: WatchPage): string {
  const { watch, kinds, course } = page;
  if (course.length === 0) {
    return watch.state === "running" ? "Looking" : "Nothing was seen";
  }
  if (watch.active === 0) {
    return "No session was active";
  }
  const first = kinds[0];
  const part =
    course.reduce((sum, p) => sum + (p.kinds[0] ?? 0), 0) / course.reduce((sum, p) => sum + p.active, 0);
  return `${three(watch.active)} sessions active on average, ${percent(part)} of that ${first === "running" ? "on a processor" : `waiting for ${wordOf(first ?? "")}`}`;
}

function aboutOf(w: Watch): string {
  const seconds = (Date.parse(w.lastAt) - Date.parse(w.beganAt)) / 1000;
  const state =
    w.state === "running"
      ? "It goes on. "
      : w.state === "interrupted"
        ? "Its process was ended; what had been seen is kept. "
        : w.ending
          ? `${w.ending} `
          : "";
  const span = w.looks > 0 ? ` for ${elapsed(seconds)}` : "";
  const cost =
    w.looks > 0
      ? `${count(w.looks)} looks took ${duration(w.lookMs)} each: ${percent(w.lookMs / lookEveryMs)} of one session's time. `
      : "";
  return `${w.address}, from ${moment(w.beganAt)}${span}. ${state}${cost}Parallel workers count as sessions of their own.`;
}

function busiest(page: WatchPage): number {
  return page.moments.reduce((best, m, i) => (m.active > (page.moments[best]?.active ?? 0) ? i : best), 0);
}
