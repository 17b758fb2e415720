import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { goesOn } from "../api/batch";
import { useBook } from "../api/hooks";
import {
  type ProposalSearch,
  useProposalSearch,
  useProposalSearchAction,
  useProposalSearches,
  useTryProposals,
} from "../api/proposals";
import { count } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { Wrong } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { Account } from "./Account";
import { LookForm, usual } from "./LookForm";
import { ProposalPanel } from "./ProposalPanel";
import { Searches, Whole } from "./Whole";
import { stageOf } from "./words";

const route = getRouteApi("/books/$bookId/proposals");

/** What to change: proposals as an account on the left page, the chosen one, or all of them together, on the right. */
export function ProposalsView() {
  const id = Number(route.useParams().bookId);
  const { search, open, anew } = route.useSearch();
  const book = useBook(id);
  const list = useProposalSearches(id);
  const shown = anew ? undefined : (search ?? list.data?.latest ?? undefined);
  const page = useProposalSearch(id, shown);
  const navigate = useNavigate();
  const go = (to: { search?: number; open?: number; anew?: boolean }, replace = false) =>
    navigate({ to: "/books/$bookId/proposals", params: { bookId: String(id) }, search: to, replace });
  const chosen = page.data?.proposals.find((p) => p.number === open);
  const going = goesOn(page.data?.state);
  const first = shown === undefined;
  return (
    <Frame
      title={book.data ? `Proposals, ${book.data.book.name}` : undefined}
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {" / proposals"}
        </>
      }
      of={list.data ? (shown !== undefined && !page.data ? page : book) : list}
      reading="Reading the proposals."
    >
      {list.data && (first || page.data) && (
        <Spread
          name="proposals"
          left={
            <Page
              label="Proposals"
              head={
                page.data && !first ? (
                  <Head book={id} page={page.data} going={going} anew={() => go({ anew: true })} />
                ) : (
                  <h1 className="head">What to change</h1>
                )
              }
            >
              {page.data && !first ? (
                <Found page={page.data} going={going}>
                  <Account
                    page={page.data}
                    chosen={chosen?.number}
                    choose={(number) => go({ search, open: number === open ? undefined : number }, true)}
                  />
                </Found>
              ) : (
                <>
                  <p className="mb-3 max-w-xl">
                    Indexes to add and to drop, statements in other words, one statement for a unit, stale
                    statistics, settings: found from the {count(book.data?.book.statements ?? 0)} statements
                    of the book's workload, screened by the planner and by exact counts on private copies.
                    Looking times nothing; what is found is then measured by trials.
                  </p>
                  <LookForm
                    book={id}
                    subject={book.data?.book.subject ?? ""}
                    begun={page.data?.settings ?? usual}
                    looked={(made) => go({ search: made })}
                  />
                </>
              )}
            </Page>
          }
          right={
            chosen && page.data ? (
              <ProposalPanel key={chosen.number} book={id} page={page.data} p={chosen} going={going} />
            ) : (
              <Page
                label="All together"
                head={<h2 className="head">{first ? "Searches before this one" : "All together"}</h2>}
              >
                {page.data && !first && <Whole book={id} page={page.data} />}
                <Searches book={id} list={list.data.searches} shown={shown} />
              </Page>
            )
          }
        />
      )}
    </Frame>
  );
}

function Head({
  book,
  page,
  going,
  anew,
}: {
  book: number;
  page: ProposalSearch;
  going: boolean;
  anew: () => void;
}) {
  const act = useProposalSearchAction(book);
  const attempt = useTryProposals(book, page.id);
  const [asked, setAsked] = useState(false);
  const open = page.proposals.filter((p) => p.item.fate === "open").length;
  const saving = page.proposals.some((p) => p.item.fate === "inSet");
  return (
    <>
      <div className="flex flex-wrap items-baseline justify-between gap-x-3 gap-y-1">
        <h1 className="head grow">What to change</h1>
        <span className="flex flex-wrap gap-2">
          {going ? (
            <button
              type="button"
              className="press"
              disabled={asked}
              onClick={() => {
                setAsked(true);
                act.mutate({ search: page.id, act: "cancel" }, { onSettled: () => setAsked(false) });
              }}
            >
              Cancel
            </button>
          ) : (
            <>
              <button type="button" className="press" onClick={anew}>
                Look anew
              </button>
              {(open > 0 || (saving && !page.set)) && (
                <button
                  type="button"
                  className="press main"
                  disabled={attempt.isPending}
                  onClick={() => attempt.mutate(null)}
                >
                  {open > 0 ? "Try all" : "Measure all together"}
                </button>
              )}
            </>
          )}
        </span>
      </div>
      <Wrong error={attempt.error ?? act.error} />
    </>
  );
}

/** What the search is at, above what it found by now. */
function Found({
  page,
  going,
  children,
}: {
  page: ProposalSearch;
  going: boolean;
  children: React.ReactNode;
}) {
  const stage = stageOf(page);
  const tried = page.proposals.filter((p) => p.item.measured).length;
  return (
    <>
      {stage && (
        <p
          aria-live="polite"
          className={`mb-2 border-l-2 pl-2 ${going ? "border-strong" : page.state === "finished" ? "border-rule" : "border-failed"}`}
        >
          {stage}
          {going && page.atTrial !== null && (
            <>
              {" "}
              <Link className="link" to="/trials/$trialId" params={{ trialId: String(page.atTrial) }}>
                trial {page.atTrial}
              </Link>
            </>
          )}
          {going && page.tries && (
            <span className="text-quiet">
              {" "}
              {tried} of {page.proposals.filter((p) => p.item.measured || p.item.fate === "open").length} are
              measured.
            </span>
          )}
        </p>
      )}
      {page.proposals.length > 0 && children}
    </>
  );
}
