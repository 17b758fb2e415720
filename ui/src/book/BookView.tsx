import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useRef } from "react";
import type { Schemas } from "../api/client";
import { useBook } from "../api/hooks";
import { bytes, count } from "../format/figures";
import { Entries } from "../ledger/Entries";
import { Frame } from "../parts/Frame";
import { EmptyState } from "../parts/Notice";
import { useOneStop } from "../parts/oneStop";
import { Page, Spread } from "../parts/Spread";
import { SmallStrip } from "../trial/SmallStrip";
import { BillCourse } from "./BillCourse";
import { ChangePanel } from "./ChangePanel";
import { DeleteBook } from "./DeleteBook";
import { Holds } from "./Holds";
import { LastCheck } from "./LastCheck";
import { Live } from "./Live";
import { Pins } from "./Pins";
import { Today } from "./Today";
import { StateWord, TrialList } from "./TrialList";
import { Workloads } from "./Workloads";

const route = getRouteApi("/books/$bookId");

/** A book: its changes on the left page; on the right, the selected one or all trials. */
export function BookView() {
  const id = Number(route.useParams().bookId);
  const { change } = route.useSearch();
  const book = useBook(id);
  const navigate = useNavigate();
  const select = (to?: number) =>
    navigate({
      to: "/books/$bookId",
      params: { bookId: String(id) },
      search: to ? { change: to } : {},
      replace: true,
    });
  const page = book.data;
  const chosen = page?.changes.find((c) => c.id === change);
  return (
    <Frame at={page?.book.name} title={page?.book.name} of={book} reading="Reading the book.">
      {page && (
        <Spread
          name="book"
          left={
            <Page label="Changes" head={<BookHead book={page.book} />}>
              <Changes
                changes={page.changes}
                chosen={chosen?.id}
                select={select}
                run={(c) => navigate({ to: "/new", search: { book: id, change: c } })}
              />
            </Page>
          }
          right={
            chosen ? (
              <ChangePanel
                key={chosen.id}
                book={page.book}
                change={chosen}
                trials={page.trials.filter((t) => t.changeId === chosen.id)}
                close={() => select()}
              />
            ) : (
              <Page label="Today, ledger and trials" head={<h2 className="head">Today</h2>}>
                <Live book={id} />
                <Today book={id} />
                <BillCourse book={id} />
                <h3 className="section">Ledger</h3>
                <Entries book={id} />
                <h3 className="section">Trials</h3>
                <TrialList trials={page.trials} />
                <Holds book={id} />
                <Pins book={id} />
                <Workloads book={id} />
                <LastCheck book={id} />
                <p className="mt-6 text-sm text-quiet">
                  By itself:{" "}
                  <Link to="/books/$bookId/keep" params={{ bookId: String(id) }} className="link">
                    rounds and alerts
                  </Link>
                  , what the server does for this book again and again, and what it told.
                </p>
                <p className="mt-2 text-sm text-quiet">
                  Without a trial:{" "}
                  <Link to="/plans" search={{ book: id }} className="link">
                    compare two plans or statements
                  </Link>
                  , or read{" "}
                  <Link to="/glossary" className="link">
                    what makes a statement cost more than it need
                  </Link>
                  .
                </p>
                <p className="mt-2 text-sm">
                  <DeleteBook id={id} name={page.book.name} subject={page.book.subject} />
                </p>
              </Page>
            )
          }
        />
      )}
    </Frame>
  );
}

function BookHead({ book }: { book: Schemas["BookView"] }) {
  return (
    <>
      <div className="flex flex-wrap items-baseline justify-between gap-x-3 gap-y-1">
        <h1 className="head truncate">{book.name}</h1>
        <span className="flex flex-wrap gap-2">
          <Link
            to="/books/$bookId/daybook"
            params={{ bookId: String(book.id) }}
            search={{}}
            className="press"
          >
            Daybook
          </Link>
          <Link
            to="/books/$bookId/catalogue"
            params={{ bookId: String(book.id) }}
            search={{}}
            className="press"
          >
            Catalogue
          </Link>
          {book.subject && (
            <Link to="/books/$bookId/batch" params={{ bookId: String(book.id) }} className="press">
              Run a script
            </Link>
          )}
          {book.subject && (
            <Link
              to="/books/$bookId/proposals"
              params={{ bookId: String(book.id) }}
              search={{}}
              className="press"
            >
              What to change
            </Link>
          )}
          {book.subject && (
            <Link
              to="/books/$bookId/rehearsals"
              params={{ bookId: String(book.id) }}
              search={{}}
              className="press"
            >
              Rehearse
            </Link>
          )}
          <Link to="/new" search={{ book: book.id }} className="press">
            New trial
          </Link>
        </span>
      </div>
      {book.subjectMissing ? (
        <p role="alert" className="text-failed">
          {book.subjectMissing}
        </p>
      ) : (
        <p className="truncate text-quiet" title={book.subject ?? undefined}>
          {book.subjectBytes !== null && `${bytes(book.subjectBytes)}, `}
          {count(book.statements)} statements, {count(book.cases)} cases
          {book.subject ? `, in ${book.subject}` : "; no database is named yet: a new trial asks for it"}
        </p>
      )}
    </>
  );
}

function Changes(p: {
  changes: Schemas["ChangeView"][];
  chosen?: number;
  select: (id: number) => void;
  run: (id: number) => void;
}) {
  const body = useRef<HTMLTableSectionElement>(null);
  useOneStop(body);
  if (p.changes.length === 0) {
    return (
      <EmptyState title="No changes yet">
        A change is kept here when a trial of it is started for the first time: New trial, above, asks for it.
      </EmptyState>
    );
  }
  return (
    <table className="ruled">
      <caption className="sr-only">Changes of this book; arrow keys select one.</caption>
      <thead>
        <tr>
          <th scope="col">change</th>
          <th scope="col">latest trial</th>
        </tr>
      </thead>
      <tbody
        ref={body}
        onFocus={(e) => {
          // While one is open, the page on the right follows the focus.
          const to = Number((e.target as HTMLElement).id.replace("change-", ""));
          if (p.chosen !== undefined && to > 0 && to !== p.chosen) {
            p.select(to);
          }
        }}
      >
        {p.changes.map((c) => (
          <tr key={c.id} className={c.id === p.chosen ? "bg-chosen" : ""}>
            <td>
              <button
                type="button"
                id={`change-${c.id}`}
                aria-pressed={c.id === p.chosen}
                className="w-full cursor-pointer text-left"
                onClick={() => p.select(c.id)}
              >
                {c.title}
              </button>
            </td>
            <td className="w-[45%] text-sm">
              {c.latestTrial ? (
                <Link className="link" to="/trials/$trialId" params={{ trialId: String(c.latestTrial.id) }}>
                  <SmallStrip stems={c.latestTrial.stems} />
                  {c.latestTrial.state === "finished" ? (
                    short(c.latestTrial.headline)
                  ) : (
                    <StateWord trial={c.latestTrial} />
                  )}
                </Link>
              ) : (
                <span className="text-quiet">not run yet</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The part of a headline before the bill. */
function short(headline: string | null): string {
  return headline?.split(";")[0] ?? "finished";
}
