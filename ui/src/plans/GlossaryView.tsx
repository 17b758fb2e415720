import { useLocation } from "@tanstack/react-router";
import { useEffect } from "react";
import { type CheckRule, useRules } from "../api/gate";
import { useGlossary } from "../api/plans";
import { useLoadGlossary } from "../api/rehearsals";
import { ruleAnchor } from "../gate/words";
import { Frame } from "../parts/Frame";
import { IntervalBar } from "../parts/IntervalBar";
import { VerdictMark } from "../parts/Mark";
import { Wrong } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { ownWords } from "./words";

/** What each finding means, at length. */
export function GlossaryView() {
  const glossary = useGlossary();
  const { hash } = useLocation();
  const ofLoads = useLoadGlossary();
  const entries = glossary.data;
  const loads = ofLoads.data ?? [];
  const ofChecks = useRules();
  const rules = ofChecks.data ?? [];
  useEffect(() => {
    if (entries && ofLoads.data && ofChecks.data && hash) {
      document.getElementById(hash)?.scrollIntoView();
    }
  }, [entries, ofLoads.data, ofChecks.data, hash]);
  return (
    <Frame at={"glossary"} title="Glossary" of={glossary}>
      {entries && (
        <Spread
          name="glossary"
          start={0.34}
          left={
            <Page
              label="Findings"
              head={<h1 className="head">What makes a statement cost more than it need</h1>}
            >
              <Contents
                label="Findings"
                of={entries.map((e) => ({ id: e.kind, title: e.title }))}
                at={hash}
              />
              <h2 className="section">What a load runs into</h2>
              <Contents
                label="Findings of loads"
                of={loads.map((e) => ({ id: e.kind, title: e.title }))}
                at={hash}
              />
              <h2 className="section">What must hold</h2>
              <Contents
                label="Rules"
                of={rules.map((r) => ({ id: ruleAnchor(r.id), title: r.title }))}
                at={hash}
              />
              <h2 className="section">Words and marks of this program</h2>
              <Contents label="Words" of={ownWords} at={hash} />
            </Page>
          }
          right={
            <Page label="Explanations">
              <Wrong error={ofLoads.error ?? ofChecks.error} />
              {entries.map((e) => (
                <article key={e.kind} id={e.kind} className="max-w-[68ch] pt-3">
                  <h2 className="section mt-0!">{e.title}</h2>
                  <p>{e.what}</p>
                  <p className="mt-1">{e.why}</p>
                  <h3 className="mt-1 font-semibold">What people do</h3>
                  <ul className="list-disc pl-5">
                    {e.remedies.map((r) => (
                      <li key={r}>{r}</li>
                    ))}
                  </ul>
                  {e.example && (
                    <div className="mt-1">
                      <Sql text={e.example} label={`Example: ${e.title}`} />
                    </div>
                  )}
                </article>
              ))}
              <h2 className="head pt-6">What a load runs into</h2>
              {loads.map((e) => (
                <article
                  key={e.kind}
                  id={e.kind}
                  className={`max-w-[68ch] pt-2 ${e.kind === hash ? "bg-chosen" : ""}`}
                >
                  <h3 className="font-semibold">{e.title}</h3>
                  <p>{e.meaning}</p>
                  <p className="text-quiet">{e.told}</p>
                  <p>{e.remedy}</p>
                </article>
              ))}
              <h2 className="head pt-6">What must hold</h2>
              <p className="max-w-[68ch] text-quiet">
                What a check holds a change against. Rules of the house stand in a file, or with a book, each
                on a line of its own.
              </p>
              {rules.map((r) => (
                <article
                  key={r.id}
                  id={ruleAnchor(r.id)}
                  className={`max-w-[68ch] pt-2 ${ruleAnchor(r.id) === hash ? "bg-chosen" : ""}`}
                >
                  <h3 className="font-semibold first-letter:uppercase">{r.title}</h3>
                  <p>{r.what}</p>
                  <p>{r.why}</p>
                  {r.isHouseRule && (
                    <p className="text-quiet">
                      As a rule of the house: <code>{asWritten(r)}</code>
                    </p>
                  )}
                </article>
              ))}
              <h2 className="head pt-6">Words and marks</h2>
              {ownWords.map((w) => (
                <article
                  key={w.id}
                  id={w.id}
                  className={`max-w-[68ch] pt-2 ${w.id === hash ? "bg-chosen" : ""}`}
                >
                  <h3 className="font-semibold">{w.title}</h3>
                  <p>{w.what}</p>
                  <Drawn id={w.id} />
                </article>
              ))}
            </Page>
          }
        />
      )}
    </Frame>
  );
}

/** A rule as a file of house rules has it. */
const asWritten = (r: CheckRule): string =>
  r.unit ? `${r.title}: over ${r.usual} ${r.unit}` : `${r.title}: on`;

/** What stands on the right page, each a step away. */
function Contents({ label, of, at }: { label: string; of: { id: string; title: string }[]; at: string }) {
  return (
    <ol aria-label={label}>
      {of.map((e) => (
        <li key={e.id} className={`border-t border-rule first:border-0 ${e.id === at ? "bg-chosen" : ""}`}>
          <a className="block py-0.5 hover:underline" href={`#${e.id}`}>
            {e.title}
          </a>
        </li>
      ))}
    </ol>
  );
}

/** The marks themselves, beside the words that explain them. */
function Drawn({ id }: { id: string }) {
  if (id === "regressed") {
    return (
      <p className="flex gap-4">
        {["regressed", "improved", "level"].map((v) => (
          <VerdictMark key={v} verdict={v} />
        ))}
      </p>
    );
  }
  if (id === "unsettled") {
    return <VerdictMark verdict="unsettled" />;
  }
  if (id === "interval") {
    return (
      <IntervalBar
        low={1.08}
        high={1.19}
        centre={1.13}
        bandLow={0.95}
        bandHigh={1.05}
        verdict="regressed"
        width={420}
        height={50}
        reach={1.35}
        labelled
      />
    );
  }
  return null;
}
