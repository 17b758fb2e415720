import { getRouteApi, Link } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { useBeside, useTrial, useTrials } from "../api/hooks";
import { moment, shortRatio, three } from "../format/figures";
import { Frame } from "../parts/Frame";
import { IntervalBar } from "../parts/IntervalBar";
import { inkOf, VerdictMark } from "../parts/Mark";
import { EmptyState, Failure } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { Page } from "../parts/Spread";
import { SmallStrip } from "./SmallStrip";

const route = getRouteApi("/trials/$trialId/beside");

const words: Record<string, string> = {
  disagree: "disagree",
  byDegree: "by another degree",
  open: "settled in one",
  agree: "agree",
  onlyOne: "in one alone",
};

/** Two trials side by side: the same change on two engines, versions, sizes or days. Where they disagree comes first. */
export function BesideView() {
  const id = Number(route.useParams().trialId);
  const { with: other, all } = route.useSearch();
  const query = useBeside(id, other);
  const trial = useTrial(id);
  const page = query.data;
  return (
    <Frame
      title={page ? `Trials ${id} and ${other}: ${page.sentence}` : `Trial ${id} beside another`}
      at={
        <>
          <Link className="link" to="/trials/$trialId" params={{ trialId: String(id) }}>
            trial {id}
          </Link>
          {" / "}
          {other ? `beside trial ${other}` : "beside another"}
        </>
      }
      of={other === undefined ? trial : query}
      reading="Reading the trials."
    >
      {other === undefined && trial.data && <Choose id={id} title={trial.data.trial.title} />}
      {page && (
        <Page
          label="Two trials"
          head={
            <>
              <h1 className="head">{page.sentence}</h1>
              <p className="text-sm">
                <Link
                  className="link"
                  to="/trials/$trialId/beside"
                  params={{ trialId: String(id) }}
                  search={{}}
                >
                  choose another
                </Link>
              </p>
            </>
          }
        >
          <Sides page={page} />
          <Lines page={page} all={all === true} id={id} other={other ?? 0} />
        </Page>
      )}
    </Frame>
  );
}

function Choose({ id, title }: { id: number; title: string }) {
  const trials = useTrials();
  if (trials.error) {
    return <Failure error={trials.error} retry={() => trials.refetch()} />;
  }
  const others = (trials.data ?? []).filter((t) => t.id !== id && t.stems.length > 0);
  const alike = (t: Schemas["TrialListItem"]) => (t.title === title ? 0 : 1);
  return (
    <Page label="Trials" head={<h1 className="head">Beside which trial?</h1>}>
      {trials.data && others.length === 0 ? (
        <EmptyState title="There is no other trial that measured something">
          Run the same change on another engine, version or size, or on another day.
        </EmptyState>
      ) : (
        <table className="ruled">
          <thead>
            <tr>
              <th scope="col" className="num">
                no.
              </th>
              <th scope="col">trial</th>
              <th scope="col">book</th>
              <th scope="col">lines by change</th>
              <th scope="col">started</th>
            </tr>
          </thead>
          <Rows>
            {[...others]
              .sort((a, b) => alike(a) - alike(b) || b.id - a.id)
              .map((t) => (
                <tr key={t.id}>
                  <td className="num text-quiet">{t.id}</td>
                  <td>
                    <Link
                      className="link"
                      to="/trials/$trialId/beside"
                      params={{ trialId: String(id) }}
                      search={{ with: t.id }}
                    >
                      {t.title}
                    </Link>
                    {t.title === title && <span className="text-quiet">, the same title</span>}
                    <div className="text-sm text-quiet">{t.headline}</div>
                  </td>
                  <td>{t.bookName}</td>
                  <td>
                    <SmallStrip stems={t.stems} />
                  </td>
                  <td className="whitespace-nowrap text-sm text-quiet">{moment(t.at)}</td>
                </tr>
              ))}
          </Rows>
        </table>
      )}
    </Page>
  );
}

function Sides({ page }: { page: Schemas["BesideView"] }) {
  const sides = [page.first, page.second];
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col">
            <span className="sr-only">what</span>
          </th>
          {sides.map((s) => (
            <th key={s.id} scope="col" className="w-2/5">
              <Link className="link" to="/trials/$trialId" params={{ trialId: String(s.id) }}>
                trial {s.id}
              </Link>
              , {s.bookName}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        <tr>
          <th scope="row">what happened</th>
          {sides.map((s) => (
            <td key={s.id}>
              {s.title}
              <div className="text-sm text-quiet">{s.headline ?? s.state}</div>
              <SmallStrip stems={s.stems} />
            </td>
          ))}
        </tr>
        {page.facts.map((f) => (
          <tr key={f.name}>
            <th scope="row">{f.name}</th>
            <td className="break-words">{f.first}</td>
            <td className="break-words">{f.second}</td>
          </tr>
        ))}
        {page.facts.length === 0 && (
          <tr>
            <th scope="row">conditions</th>
            <td colSpan={2}>All that was recorded is the same.</td>
          </tr>
        )}
      </tbody>
    </table>
  );
}

type LinesProps = { page: Schemas["BesideView"]; all: boolean; id: number; other: number };

function Lines({ page, all, id, other }: LinesProps) {
  const apart = page.rows.filter((r) => r.agreement !== "agree");
  const rows = all || apart.length === 0 ? page.rows : apart;
  return (
    <>
      <h2 className="section">Lines</h2>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">agreement</th>
            <th scope="col">statement, case</th>
            {[page.first, page.second].map((s) => (
              <th key={s.id} scope="col" colSpan={3}>
                trial {s.id}
              </th>
            ))}
          </tr>
        </thead>
        <Rows>
          {rows.map((r) => (
            <tr key={`${r.statement}/${r.case}/${r.first?.number}/${r.second?.number}`}>
              <td
                className={`whitespace-nowrap ${r.agreement === "disagree" ? "font-semibold" : "text-quiet"}`}
              >
                {words[r.agreement] ?? r.agreement}
              </td>
              <td className="w-full">
                {r.statement} <span className="text-quiet">{r.case}</span>
              </td>
              <Cell cell={r.first} trial={page.first.id} />
              <Cell cell={r.second} trial={page.second.id} />
            </tr>
          ))}
        </Rows>
      </table>
      {apart.length > 0 && apart.length < page.rows.length && (
        <Link
          className="link"
          to="/trials/$trialId/beside"
          params={{ trialId: String(id) }}
          search={{ with: other, all: all ? undefined : true }}
          replace
        >
          {all
            ? "only where they do not agree"
            : `and ${page.rows.length - apart.length} on which they agree`}
        </Link>
      )}
    </>
  );
}

function Cell({ cell, trial }: { cell: Schemas["BesideCell"] | null; trial: number }) {
  if (!cell) {
    return (
      <td colSpan={3} className="text-quiet">
        not there
      </td>
    );
  }
  const band = 1 + cell.tolerancePercent / 100;
  return (
    <>
      <td>
        <Link
          className="hover:underline"
          to="/trials/$trialId/lines/$line"
          params={{ trialId: String(trial), line: String(cell.number) }}
        >
          {cell.verdict ? (
            <VerdictMark verdict={cell.verdict} basis={cell.basis} />
          ) : (
            <span className="text-quiet">not measured</span>
          )}
        </Link>
      </td>
      <td className={`num ${inkOf(cell.verdict)}`}>
        {cell.ratio !== null && shortRatio(cell.ratio)}
        {cell.beforeMs !== null && cell.afterMs !== null && (
          <span className="block text-xs text-quiet">
            {three(cell.beforeMs)} to {three(cell.afterMs)} ms
          </span>
        )}
      </td>
      <td className="roomy w-[92px]">
        {cell.low !== null && cell.high !== null && cell.ratio !== null && (
          <IntervalBar
            low={cell.low}
            high={cell.high}
            centre={cell.ratio}
            bandLow={1 / band}
            bandHigh={band}
            verdict={cell.verdict}
            width={84}
            height={13}
            reach={1.35}
          />
        )}
      </td>
    </>
  );
}
