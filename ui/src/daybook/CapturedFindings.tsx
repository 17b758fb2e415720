import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useCapturedFindings } from "../api/costs";
import type { Narrowing } from "../api/daybook";
import { count, three } from "../format/figures";
import { Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";

const firstShown = 10;

/** All that was found in plans that captures hold, the costliest first. */
export function CapturedFindings({ book, narrowing }: { book: number; narrowing: Narrowing }) {
  const findings = useCapturedFindings(book, narrowing);
  const [all, setAll] = useState(false);
  const found = findings.data ?? [];
  if (found.length === 0) {
    return <Wrong error={findings.error} />;
  }
  return (
    <section aria-label="Found in plans" id="findings">
      <h3 className="section">What captured plans do that costs more than it need</h3>
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col" className="num" title="database-seconds a day of the span">
              s a day
            </th>
            <th scope="col">what, in which statement</th>
          </tr>
        </thead>
        <Rows>
          {(all ? found : found.slice(0, firstShown)).map((f) => (
            <tr key={`${f.hash}/${f.finding.kind}/${f.finding.operator}`}>
              <td className="num">{three(f.secondsPerDay)}</td>
              <td>
                <Link className="font-semibold hover:underline" to="/glossary" hash={f.finding.kind}>
                  {f.finding.title}
                </Link>
                : {f.finding.text}
                <Link
                  className="line-clamp-2 font-mono text-xs leading-[1.35] break-words hover:underline"
                  to="/books/$bookId/statements/$hash"
                  params={{ bookId: String(book), hash: f.hash }}
                >
                  {f.text}
                </Link>
              </td>
            </tr>
          ))}
        </Rows>
      </table>
      {found.length > firstShown && (
        <button type="button" className="link" onClick={() => setAll(!all)}>
          {all ? "only the costliest" : `all ${count(found.length)}`}
        </button>
      )}
    </section>
  );
}
