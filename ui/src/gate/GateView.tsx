import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { type GateCourse, type GatePage, useGate } from "../api/gate";
import { useBook } from "../api/hooks";
import { count, moment } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { moveAlong } from "../parts/keys";
import { EmptyState } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { Course } from "./Course";
import { LimitsEditor } from "./LimitsEditor";
import { keyOf, roomOf, ruleAnchor, stateInks, stateWords, titleOf } from "./words";

type Check = GatePage["checks"][number];

const exceptionRule = "exception";

/** What a book's changes have to keep: each limit with what is left of it, and when it was kept or broken, by commit. */
export function GateView() {
  const id = Number(useParams({ strict: false }).bookId);
  const { check, limit, edit } = useSearch({ strict: false }) as {
    check?: number;
    limit?: string;
    edit?: true;
  };
  const book = useBook(id);
  const query = useGate(id, check);
  const navigate = useNavigate();
  const page = query.data;
  // What is said of exceptions limits nothing: it stands with the checks.
  const limits = page?.limits.filter((l) => l.latest.rule !== exceptionRule) ?? [];
  const at = limits.findIndex((l) => keyOf(l) === limit);
  const chosen = limits[at];
  const go = (to: { check?: number | undefined; limit?: string | undefined; edit?: true }) =>
    navigate({ to: "/books/$bookId/gate", params: { bookId: String(id) }, search: to, replace: true });
  return (
    <Frame
      title={book.data ? `What must hold in ${book.data.book.name}` : undefined}
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {" / "}what must hold
        </>
      }
      of={query}
      reading="Reading the checks."
    >
      {page && (
        <Spread
          name={edit ? "gate text" : "gate"}
          start={edit ? 0.45 : 0.6}
          left={
            page.checks.length > 0 ? (
              <Page label="Limits" head={<Head page={page} />}>
                <Limits limits={limits} at={at} select={(l) => go({ check, limit: l && keyOf(l) })} />
              </Page>
            ) : (
              <Page label="Limits">
                <EmptyState wholePage title="No check was posted yet">
                  A check holds a branch against its budgets, wherever it runs. With{" "}
                  <code>./swift-ledger check … --book "{book.data?.book.name ?? "this book"}"</code> what it
                  finds is kept here, by commit.
                </EmptyState>
              </Page>
            )
          }
          right={
            edit ? (
              <LimitsEditor book={id} close={() => go({ check, limit })} />
            ) : chosen ? (
              <LimitPanel course={chosen} checks={page.checks} close={() => go({ check })} />
            ) : (
              <Page
                label="Checks"
                head={
                  <div className="flex items-baseline justify-between gap-3">
                    <h2 className="head">{page.checks.length > 0 ? "Checks" : "Without a check"}</h2>
                    <button type="button" className="press" onClick={() => go({ check, edit: true })}>
                      Edit limits
                    </button>
                  </div>
                }
              >
                {page.notes.map((n) => (
                  <p key={n} className="mb-2 text-quiet">
                    {n}
                  </p>
                ))}
                {page.checks.length > 0 ? (
                  <Checks checks={page.checks} chosen={page.chosen} book={id} />
                ) : (
                  <p className="text-quiet">
                    Trials of this book are held to limits, too, as soon as there are some.
                  </p>
                )}
                <Exceptions limits={page.limits} />
              </Page>
            )
          }
        />
      )}
    </Frame>
  );
}

function Head({ page }: { page: GatePage }) {
  const check = page.checks.find((c) => c.number === page.chosen);
  const near = page.limits.filter((l) => l.nears !== null).length;
  return (
    <>
      <h1 className="head">
        {check ? check.headline : `Check ${page.chosen}`}
        {near > 0 && ` ${count(near)} ${near === 1 ? "limit is" : "limits are"} near.`}
      </h1>
      {check && (
        <p className="text-quiet">
          Check {check.number}, <Of check={check} />
        </p>
      )}
    </>
  );
}

function Of({ check: c }: { check: Check }) {
  return (
    <>
      {moment(c.at)}
      {c.branch && `, ${c.branch}`}
      {c.commit && (
        <>
          {" at "}
          <code title={c.commit}>{c.commit.slice(0, 8)}</code>
        </>
      )}
      {c.uncommitted && ", with files not committed"}
    </>
  );
}

function Limits(p: { limits: GateCourse[]; at: number; select: (limit: GateCourse | undefined) => void }) {
  if (p.limits.length === 0) {
    return <p className="text-quiet">This check held nothing against a limit.</p>;
  }
  return (
    <table className="ruled">
      <caption className="sr-only">Limits; arrow keys select one.</caption>
      <thead>
        <tr>
          <th scope="col">limit</th>
          <th scope="col">state</th>
          <th scope="col" className="num">
            left
          </th>
          <th
            scope="col"
            className="max-sm:hidden"
            title="A post for each check, as high as what is used; the line is the limit."
          >
            used, check by check
          </th>
        </tr>
      </thead>
      <tbody
        onKeyDown={(e) =>
          moveAlong(e, p.limits.length, p.at, (to) => {
            p.select(p.limits[to]);
            document.getElementById(`limit-${to}`)?.focus();
          })
        }
      >
        {p.limits.map((l, i) => (
          <tr key={keyOf(l)} className={i === p.at ? "bg-chosen" : ""}>
            <td className="w-full">
              <button
                type="button"
                id={`limit-${i}`}
                aria-pressed={i === p.at}
                className="w-full cursor-pointer text-left"
                onClick={() => p.select(i === p.at ? undefined : l)}
              >
                {titleOf(l)}
                {l.latest.name && <span className="block text-sm text-quiet">{l.latest.name}</span>}
              </button>
            </td>
            <td className={`whitespace-nowrap ${stateInks[l.latest.state]}`}>
              {stateWords[l.latest.state]}
              {l.latest.until && <span className="block text-sm text-quiet">until {l.latest.until}</span>}
              {l.nears && <span className="block text-sm font-semibold text-ink">near</span>}
            </td>
            <td className="num whitespace-nowrap">{roomOf(l.latest.room)}</td>
            <td className="whitespace-nowrap max-sm:hidden">
              <Course course={l} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function LimitPanel({ course, checks, close }: { course: GateCourse; checks: Check[]; close: () => void }) {
  const l = course.latest;
  return (
    <Page
      label="Limit"
      head={
        <div className="flex items-baseline justify-between gap-3">
          <h2 className="head">{titleOf(course)}</h2>
          <button type="button" className="link text-quiet" onClick={close}>
            close
          </button>
        </div>
      }
    >
      {l.name && <p>{l.name}</p>}
      <p className="text-sm text-quiet">
        <code>{l.place}</code>
      </p>
      <p className="mt-3">
        <strong className={`inline-block first-letter:uppercase ${stateInks[l.state]}`}>
          {stateWords[l.state]}.
        </strong>{" "}
        {l.sentence}
      </p>
      {course.nears && <p className="mt-2 font-semibold">{course.nears}</p>}
      <p className="mt-2 text-sm">
        <a className="link" href={`/glossary#${ruleAnchor(l.rule)}`}>
          what this limit means, and what people do
        </a>
      </p>
      <h3 className="section">Check by check</h3>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col" className="num">
              check
            </th>
            <th scope="col">of</th>
            <th scope="col">state</th>
            <th scope="col" className="num">
              left
            </th>
          </tr>
        </thead>
        <tbody>
          {[...course.points].reverse().map((point) => {
            const check = checks.find((c) => c.number === point.check);
            return (
              <tr key={point.check} title={point.sentence}>
                <td className="num">{point.check}</td>
                <td className="w-full">{check && <Of check={check} />}</td>
                <td className={`whitespace-nowrap ${stateInks[point.state]}`}>{stateWords[point.state]}</td>
                <td className="num whitespace-nowrap">{roomOf(point.room)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </Page>
  );
}

/** What is allowed for a while, and what was, with the reasons. */
function Exceptions({ limits }: { limits: GateCourse[] }) {
  const allowed = limits.filter((l) => l.latest.until !== null);
  const told = limits.filter((l) => l.latest.rule === exceptionRule);
  if (allowed.length + told.length === 0) {
    return null;
  }
  return (
    <>
      <h3 className="section">Exceptions</h3>
      <ul>
        {[...allowed, ...told].map((l) => (
          <li key={keyOf(l)} className="mb-1">
            {l.latest.name && <span className="font-semibold">{l.latest.name}: </span>}
            {l.latest.until ? `${titleOf(l)}. ` : ""}
            {l.latest.sentence}
          </li>
        ))}
      </ul>
    </>
  );
}

function Checks({ checks, chosen, book }: { checks: Check[]; chosen: number | null; book: number }) {
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col" className="num">
            check
          </th>
          <th scope="col">of</th>
          <th scope="col">state</th>
        </tr>
      </thead>
      <tbody>
        {checks.map((c) => (
          <tr key={c.number} className={c.number === chosen ? "bg-chosen" : ""}>
            <td className="num">
              <Link
                className="link"
                to="/books/$bookId/gate"
                params={{ bookId: String(book) }}
                search={{ check: c.number }}
                aria-current={c.number === chosen ? "true" : undefined}
              >
                {c.number}
              </Link>
            </td>
            <td className="w-full">
              <Of check={c} />
              <span className="block text-sm text-quiet">{c.headline}</span>
            </td>
            <td className={`whitespace-nowrap ${stateInks[c.state]}`}>{stateWords[c.state]}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
