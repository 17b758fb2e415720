import { Link } from "@tanstack/react-router";
import { scaleLog } from "@visx/scale";
import { type DepartureView, useDepartures } from "../api/costs";
import type { Narrowing } from "../api/daybook";
import { moment, percent, three } from "../format/figures";
import { Wrong } from "../parts/Notice";
import { Word } from "../parts/Word";

const width = 420;
const height = 46;
const shown = 12;

/** Hours in which a statement, a table or the whole took more or less than that hour usually does, with what explains it. */
export function Departures({
  book,
  narrowing,
  set,
}: {
  book: number;
  narrowing: Narrowing;
  set: (part: Partial<Narrowing>) => void;
}) {
  const page = useDepartures(book, narrowing);
  if (!page.data) {
    return <Wrong error={page.error} />;
  }
  const found = page.data.departures;
  return (
    <section aria-label="Departures from the usual" id="departures">
      <h3 className="section">
        Departures from <Word id="usual">the usual</Word>
      </h3>
      {page.data.tooShort && (
        <p className="text-quiet">
          What an hour usually takes is told from four days on; these captures are shorter.
        </p>
      )}
      {!page.data.tooShort && found.length === 0 && (
        <p className="text-quiet">No hour took more or less than such an hour usually does.</p>
      )}
      <ul>
        {found.slice(0, shown).map((d) => (
          <li key={`${d.of}/${d.name}/${d.from}`} className="mb-3">
            <p>
              <strong className={d.seconds > d.usual ? "text-dearer" : "text-cheaper"}>
                {d.usual > 0 && d.seconds > 0
                  ? d.seconds > d.usual
                    ? `${three(d.seconds / d.usual)} times the usual`
                    : `${three(d.usual / d.seconds)} times less than usual`
                  : d.seconds > 0
                    ? "usually nothing"
                    : "nothing at all"}
              </strong>
              {d.of === "all" && " by everything together"}
              {d.of === "table" && (
                <>
                  {" by statements on "}
                  <button type="button" className="link" onClick={() => set({ table: d.name })}>
                    {d.name}
                  </button>
                </>
              )}
              , {three(d.seconds)} s instead of {three(d.usual)},{" "}
              <button type="button" className="link" onClick={() => set({ from: d.from, to: d.to })}>
                {moment(d.from)} to {moment(d.to).slice(11)}
              </button>
            </p>
            {d.hash && (
              <Link
                className="line-clamp-2 font-mono text-xs leading-[1.35] break-words hover:underline"
                title={d.name}
                to="/books/$bookId/statements/$hash"
                params={{ bookId: String(book), hash: d.hash }}
              >
                {d.name}
              </Link>
            )}
            <Course of={d} />
            {d.why.length > 0 && <p className="text-sm">{sentence(d.why)}</p>}
          </li>
        ))}
      </ul>
      {found.length > 0 && (
        <p className="text-sm text-quiet">
          {found.length > shown && `The ${shown} greatest of ${found.length}. `}
          At most {percent(page.data.falseShare)} of them are to be expected by chance alone. The shaded range
          is where the hour is expected, on a logarithmic scale.
        </p>
      )}
    </section>
  );
}

const sentence = (parts: string[]) =>
  `${parts.map((p, i) => (i === 0 ? p.charAt(0).toUpperCase() + p.slice(1) : p)).join("; ")}.`;

/** The hours around it against the range in which each is expected. */
function Course({ of }: { of: DepartureView }) {
  const hours = of.course;
  const first = Date.parse(hours[0]?.at ?? of.from);
  const last = Date.parse(hours.at(-1)?.at ?? of.to) + 3_600_000;
  const most = Math.max(...hours.map((h) => Math.max(h.seconds, h.high)), 1e-12);
  const least = Math.min(...hours.flatMap((h) => [h.seconds, h.low]).filter((v) => v > 0), most / 2);
  const x = (t: number) => ((t - first) / Math.max(1, last - first)) * width;
  // Logarithmic, so that the range is seen beside what lies far outside it; what took nothing lies on the ground.
  const scale = scaleLog({ domain: [least * 0.8, most * 1.1], range: [height - 4, 3], clamp: true });
  const y = (v: number) => (v > 0 ? scale(v) : height - 1);
  const wide = Math.max(1, x(first + 3_600_000));
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      className="my-0.5 block w-full max-w-[420px]"
      role="img"
      aria-label={`${three(of.seconds)} s where ${three(of.usual)} are usual; at most ${three(most)} s an hour around it`}
    >
      {hours.map((h) => (
        <rect
          key={h.at}
          x={x(Date.parse(h.at))}
          width={wide}
          y={y(h.high)}
          height={Math.max(1, y(h.low) - y(h.high))}
          className="fill-band"
        />
      ))}
      <line x1={0} x2={width} y1={height - 0.5} y2={height - 0.5} className="stroke-rule" />
      {hours.map((h) => {
        const at = Date.parse(h.at);
        const within = at >= Date.parse(of.from) && at < Date.parse(of.to);
        return (
          <line
            key={h.at}
            x1={x(at)}
            x2={x(at) + wide}
            y1={y(h.seconds)}
            y2={y(h.seconds)}
            className={within ? "stroke-ink" : "stroke-strong"}
            strokeWidth={within ? 3 : 1.5}
          />
        );
      })}
    </svg>
  );
}
