import { Link, useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { type Effect, useEffects, type Whose } from "../api/daybook";
import { count, moment, shortRatio, three } from "../format/figures";
import { Exports } from "../parts/Exports";
import { IntervalBar } from "../parts/IntervalBar";
import { inkOf, SideMark, VerdictMark } from "../parts/Mark";
import { Failure } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { Page } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { PagesMoved } from "./Pages";

type Props = { book: number; deployment: number; whose: Whose; close: () => void };

/** How many patterns are compared at first, those whose cost moved most; comparing takes a while. */
const firstCompared = 16;

/** A deployment's account: every pattern before and after it, the greatest change of cost first. */
export function EffectPanel({ book, deployment, whose, close }: Props) {
  const [limit, setLimit] = useState(firstCompared);
  const [days, setDays] = useState<number | undefined>();
  const effects = useEffects(book, deployment, limit, days, whose);
  const [all, setAll] = useState(false);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => e.key === "Escape" && close();
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [close]);
  const page = effects.data;
  if (effects.error) {
    return <Failure error={effects.error} retry={() => effects.refetch()} />;
  }
  if (!page) {
    return <p className="px-5 py-3 text-quiet">Comparing before and after.</p>;
  }
  const d = page.deployment;
  const moved = page.effects.filter(
    (e) => (e.movement !== "level" && e.movement !== "unsettled") || e.moves.length > 0,
  );
  const shown = all ? page.effects : moved;
  return (
    <Page
      label="Deployment"
      head={
        <>
          <div className="flex items-baseline justify-between gap-3">
            <h2 className="head">
              {d.version || "Not announced"}: {d.what}
            </h2>
            <span className="flex shrink-0 gap-3">
              <Exports
                of="Effects"
                path={`/api/books/${book}/deployments/${deployment}/effects`}
                query={{ days, ...whose }}
              />
              <button type="button" className="link shrink-0 text-quiet" onClick={close}>
                all deployments
              </button>
            </span>
          </div>
          <p className="text-quiet">
            {moment(d.at)}; compared from {moment(page.beforeFrom)} to {moment(page.afterTo)}, by hours:{" "}
            <select
              aria-label="Span that is compared"
              className="field py-0"
              value={days ?? ""}
              onChange={(e) => setDays(e.target.value ? Number(e.target.value) : undefined)}
            >
              <option value="">up to the deployments beside it</option>
              <option value="1">a day each</option>
              <option value="3">three days each</option>
              <option value="7">a week each</option>
              <option value="14">two weeks each</option>
            </select>
          </p>
          <p className="mt-1 font-semibold">{headline(page.effects, page)}</p>
          <p className="text-quiet">
            {change(page.ofMoreCalls)} of more or fewer calls, {change(page.ofDearerCalls)} of dearer or
            cheaper ones
          </p>
          <Onward book={book} deployment={deployment} effects={page.effects} script={d.script} />
        </>
      }
    >
      {d.script && <Sql text={d.script} label="Script of the deployment" />}
      <table className="ruled mt-2">
        <caption className="sr-only">Patterns before and after the deployment</caption>
        <thead>
          <tr>
            <th scope="col">verdict, statement</th>
            <th scope="col" className="num">
              <SideMark side="before" />
              before
              <span className="block">s a day</span>
            </th>
            <th scope="col" className="num">
              <SideMark side="after" />
              after
              <span className="block">s a day</span>
            </th>
            <th scope="col">typical duration</th>
          </tr>
        </thead>
        <Rows>
          {shown.map((e) => (
            <Row key={e.hash} book={book} effect={e} />
          ))}
        </Rows>
        <tfoot>
          <tr className="total font-semibold">
            <td>all statements</td>
            <td className="num">{three(page.beforeSecondsPerDay)}</td>
            <td className="num">{three(page.afterSecondsPerDay)}</td>
            <td />
          </tr>
        </tfoot>
      </table>
      <PagesMoved pages={page.pages} />
      {moved.length === 0 && !all && <p className="mt-2 text-quiet">{nothingMoved(page)}</p>}
      {page.effects.length > moved.length && (
        <button type="button" className="link mt-2" onClick={() => setAll(!all)}>
          {all
            ? "only those that moved"
            : `and ${page.effects.length - moved.length} that are level or unsettled`}
        </button>
      )}
      {page.effects.length < page.patterns && (
        <p className="mt-2 text-quiet">
          {count(page.effects.length)} of {count(page.patterns)} are compared, those whose cost moved most.{" "}
          <button
            type="button"
            className="link"
            disabled={effects.isFetching}
            onClick={() => setLimit(page.patterns)}
          >
            {effects.isFetching ? "comparing the rest" : "Compare all"}
          </button>
        </p>
      )}
    </Page>
  );
}

function headline(
  effects: Effect[],
  page: { beforeSecondsPerDay: number; afterSecondsPerDay: number; patterns: number },
): string {
  const n = (m: string) => effects.filter((e) => e.movement === m).length;
  const parts = [`${n("regressed")} of ${effects.length} regressed`];
  for (const m of ["improved", "level", "unsettled", "new", "gone"]) {
    if (n(m) > 0) {
      parts.push(`${n(m)} ${m}`);
    }
  }
  return `${parts.join(", ")}; time in the database went from ${three(page.beforeSecondsPerDay)} to ${three(page.afterSecondsPerDay)} s a day`;
}

/** Where no statement moved, the total may have: then calls did, or what cannot be told from chance. */
function nothingMoved(page: {
  beforeSecondsPerDay: number;
  afterSecondsPerDay: number;
  ofMoreCalls: number;
  ofDearerCalls: number;
}): string {
  const moved = page.afterSecondsPerDay - page.beforeSecondsPerDay;
  if (Math.abs(moved) < page.beforeSecondsPerDay / 50) {
    return "No statement moved.";
  }
  return Math.abs(page.ofMoreCalls) >= Math.abs(page.ofDearerCalls)
    ? `No statement got dearer or cheaper beyond chance; calls did move: ${change(page.ofMoreCalls)} of ${page.ofMoreCalls > 0 ? "more" : "fewer"} calls.`
    : `No statement moved beyond chance, but together they did: ${change(page.ofDearerCalls)}. More captures settle which.`;
}

/** A change of cost with its sign. */
function change(seconds: number): string {
  return `${seconds > 0 ? "+" : seconds < 0 ? "-" : ""}${three(Math.abs(seconds))} s a day`;
}

function Row({ book, effect: e }: { book: number; effect: Effect }) {
  const more = e.mixMoved ? [...e.moves, e.mix] : e.moves;
  return (
    <>
      <tr className={more.length > 0 ? "border-b-0" : ""}>
        <td className="w-full">
          {e.movement === "new" || e.movement === "gone" ? (
            <span className="font-semibold text-quiet">{e.movement}</span>
          ) : (
            <VerdictMark verdict={e.movement} />
          )}
          <Link
            to="/books/$bookId/statements/$hash"
            params={{ bookId: String(book), hash: e.hash }}
            className="line-clamp-2 font-mono text-xs leading-[1.35] hover:underline"
            title={e.text}
          >
            {e.text}
          </Link>
        </td>
        <td className="num">{three(e.beforeSecondsPerDay)}</td>
        <td className="num">{three(e.afterSecondsPerDay)}</td>
        <td title={`${e.message} ${e.mix}`} className={`whitespace-nowrap ${inkOf(e.movement)}`}>
          {e.ratio !== null && e.low !== null && e.high !== null && (
            <>
              {shortRatio(e.ratio)}
              <IntervalBar
                low={e.low}
                high={e.high}
                centre={e.ratio}
                bandLow={1 / 1.05}
                bandHigh={1.05}
                verdict={e.movement}
                width={96}
                height={14}
                reach={4}
              />
            </>
          )}
        </td>
      </tr>
      {more.length > 0 && (
        <tr>
          <td colSpan={4}>
            {more.map((m) => (
              <p key={m} className="text-sm">
                {m}
              </p>
            ))}
          </td>
        </tr>
      )}
    </>
  );
}

/** From what a deployment did to a trial of it: the regressed statements with their real parameters, and its script. */
function Onward(p: { book: number; deployment: number; effects: Effect[]; script: string }) {
  const navigate = useNavigate();
  const regressed = p.effects.filter((e) => e.movement === "regressed");
  if (regressed.length === 0) {
    return null;
  }
  return (
    <div className="mt-2">
      <button
        type="button"
        className="press main"
        onClick={() =>
          navigate({
            to: "/new",
            search: {
              book: p.book,
              deployment: p.deployment,
              take: regressed.map((e) => e.hash).join(","),
            },
          })
        }
      >
        Take {regressed.length === 1 ? "it" : `these ${count(regressed.length)}`} to a trial
      </button>
    </div>
  );
}
