import { useLocation } from "@tanstack/react-router";
import { useEffect } from "react";
import { useGlossary } from "../api/plans";
import { Frame } from "../parts/Frame";
import { Page, Spread } from "../parts/Spread";
import { Sql } from "../parts/Sql";

/** What each finding means, at length. */
export function GlossaryView() {
  const glossary = useGlossary();
  const { hash } = useLocation();
  const entries = glossary.data;
  useEffect(() => {
    if (entries && hash) {
      document.getElementById(hash)?.scrollIntoView();
    }
  }, [entries, hash]);
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
              <ol>
                {entries.map((e) => (
                  <li
                    key={e.kind}
                    className={`border-t border-rule first:border-0 ${e.kind === hash ? "bg-chosen" : ""}`}
                  >
                    <a className="block py-0.5 hover:underline" href={`#${e.kind}`}>
                      {e.title}
                    </a>
                  </li>
                ))}
              </ol>
            </Page>
          }
          right={
            <Page label="Explanations">
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
            </Page>
          }
        />
      )}
    </Frame>
  );
}
