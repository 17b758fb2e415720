import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { type Repeat, useRepeats } from "../api/daybook";
import { count, percent, three } from "../format/figures";
import { Copy } from "../parts/Copy";
import { Wrong } from "../parts/Notice";
import { Sql } from "../parts/Sql";

/** Units of work that ask again for each row of a list: how often, how the number grows, and what one statement would save. */
export function Repeats({ book }: { book: number }) {
  const repeats = useRepeats(book);
  const [open, setOpen] = useState<string | null>(null);
  const [unit, setUnit] = useState<string | null>(null);
  if (!repeats.data || repeats.data.length === 0) {
    return <Wrong error={repeats.error} />;
  }
  return (
    <>
      <h3 className="section">Repeated within one unit of work</h3>
      <ul>
        {repeats.data.slice(0, 20).map((r) => {
          const key = `${r.beforeHash}/${r.hash}/${r.thenHash}`;
          return (
            <li key={key} className="mb-2">
              <Finding book={book} repeat={r} />
              <button
                type="button"
                className="link text-sm"
                aria-expanded={open === key}
                onClick={() => setOpen(open === key ? null : key)}
              >
                {open === key ? "hide the example" : "an example"}
              </button>
              {open === key && <Example repeat={r} />}
              {r.unit && (
                <>
                  {" "}
                  <button
                    type="button"
                    className="link text-sm"
                    aria-expanded={unit === key}
                    onClick={() => setUnit(unit === key ? null : key)}
                  >
                    {unit === key ? "hide the unit" : "as a unit of a workload"}
                  </button>
                  {unit === key && (
                    <>
                      <p className="text-sm">
                        One line of a trial: the list and what is sent for each of its rows, with the client's
                        round trips. <Copy what="the unit" press="copy" text={r.unit} />
                      </p>
                      <Sql text={r.unit} label="Unit of a workload" />
                    </>
                  )}
                </>
              )}
            </li>
          );
        })}
      </ul>
    </>
  );
}

function Finding({ book, repeat: r }: { book: number; repeat: Repeat }) {
  const many = r.least === r.most ? count(r.most) : `${count(r.least)} to ${count(r.most)}`;
  return (
    <>
      <p>
        <strong>
          {r.beforeText ? "1 + " : ""}
          {r.thenText ? `${many} reads, each followed by a write of the same row,` : `${many} statements`}{" "}
          where {r.beforeText ? "1 or 2" : "1"} would do
        </strong>
        , in {count(r.units)} units: {count(r.saved)} statements fewer
        {r.gapMs !== null && (
          <>
            , each with {three(r.gapMs)} ms between it and the next: {three((r.saved * r.gapMs) / 1000)} s of
            waiting
          </>
        )}
        .{" "}
        {r.oneForEachRow > 0 && `In ${percent(r.oneForEachRow)} of them one for each row of the list before.`}
        {r.perRow !== null && r.perRow > 0 && ` Each row more in the list makes ${three(r.perRow)} more.`}
        {r.tags.length > 0 && ` It came with ${r.tags.join(", ")}.`}
      </p>
      <Link
        to="/books/$bookId/statements/$hash"
        params={{ bookId: String(book), hash: r.hash }}
        className="line-clamp-2 font-mono text-xs hover:underline"
      >
        {r.text}
      </Link>
      {r.thenHash && (
        <Link
          to="/books/$bookId/statements/$hash"
          params={{ bookId: String(book), hash: r.thenHash }}
          className="line-clamp-2 font-mono text-xs hover:underline"
        >
          {r.thenText}
        </Link>
      )}
    </>
  );
}

/** What differs between the repetitions stands in their parameters. */
function Example({ repeat: r }: { repeat: Repeat }) {
  const first = Date.parse(r.example[0]?.at ?? "");
  return (
    <table className="ruled mt-1">
      <thead>
        <tr>
          <th scope="col" className="num">
            after, ms
          </th>
          <th scope="col" className="num">
            took, ms
          </th>
          <th scope="col">statement</th>
          <th scope="col">parameters</th>
        </tr>
      </thead>
      <tbody>
        {r.example.map((s, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a step is named by its place in the unit.
          <tr key={i}>
            <td className="num">{three(Date.parse(s.at) - first)}</td>
            <td className="num">{s.ms === null ? "" : three(s.ms)}</td>
            <td className="font-mono text-xs">
              <span className="line-clamp-1">{s.text}</span>
            </td>
            <td className="whitespace-nowrap font-mono text-xs">{s.binds}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
