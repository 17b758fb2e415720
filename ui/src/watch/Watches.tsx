import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useBeginWatch, useEndWatch, useWatches, type Watch } from "../api/watch";
import { moment, three } from "../format/figures";
import { Wrong } from "../parts/Notice";

/** The watches over a book's server, and the form that begins one; nothing where its database is no server. */
export function Watches({ book }: { book: number }) {
  const { data: watches, error } = useWatches(book);
  if (error) {
    return <Wrong error={error} />;
  }
  if (!watches || (!watches.possible && watches.watches.length === 0)) {
    return null;
  }
  return (
    <section aria-label="Watches" className="max-w-2xl">
      <h3 className="section">Watches</h3>
      {watches.watches.length > 0 && (
        <table className="ruled mb-3">
          <thead>
            <tr>
              <th scope="col">began</th>
              <th scope="col" className="num">
                sessions active
              </th>
              <th scope="col" className="num">
                at most
              </th>
              <th scope="col">what was kept</th>
            </tr>
          </thead>
          <tbody>
            {watches.watches.map((w) => (
              <tr key={w.id}>
                <td className="whitespace-nowrap">
                  <Link
                    className="link"
                    to="/books/$bookId/watches/$watchId"
                    params={{ bookId: String(book), watchId: String(w.id) }}
                  >
                    {moment(w.beganAt)}
                  </Link>
                </td>
                <td className="num">{three(w.active)}</td>
                <td className="num">{three(w.mostActive)}</td>
                <td>{keptOf(w)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {watches.possible && <Begin book={book} running={watches.running !== null} />}
    </section>
  );
}

export function keptOf(w: Watch): string {
  const kept = [
    w.pileUps > 0 && `${w.pileUps} pile-up${w.pileUps === 1 ? "" : "s"}`,
    w.waits > 0 && `${w.waits} wait${w.waits === 1 ? "" : "s"} for another session`,
  ].filter(Boolean);
  const what = kept.length > 0 ? kept.join(", ") : "nothing out of the ordinary";
  return w.state === "running"
    ? `goes on; ${what}`
    : w.state === "interrupted"
      ? `interrupted; ${what}`
      : what;
}

const lengths = [
  { seconds: 60, name: "a minute" },
  { seconds: 600, name: "ten minutes" },
  { seconds: 3600, name: "an hour" },
  { seconds: 86400, name: "a day" },
];

function Begin({ book, running }: { book: number; running: boolean }) {
  const begin = useBeginWatch(book);
  const end = useEndWatch(book);
  const [seconds, setSeconds] = useState(600);
  const [pileUp, setPileUp] = useState(20);
  if (running) {
    return (
      <>
        <button type="button" className="press" disabled={end.isPending} onClick={() => end.mutate()}>
          End the watch
        </button>
        <Wrong error={end.error} />
      </>
    );
  }
  return (
    <form
      className="max-w-lg"
      onSubmit={(e) => {
        e.preventDefault();
        begin.mutate({ seconds, pileUp });
      }}
    >
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <label>
          look for{" "}
          <select className="field" value={seconds} onChange={(e) => setSeconds(Number(e.target.value))}>
            {lengths.map((l) => (
              <option key={l.seconds} value={l.seconds}>
                {l.name}
              </option>
            ))}
          </select>
        </label>
        <label className="whitespace-nowrap">
          keep everything from{" "}
          <input
            type="number"
            min={1}
            className="field w-16"
            value={pileUp}
            onChange={(e) => setPileUp(Math.max(1, Number(e.target.value) || 1))}
          />{" "}
          active sessions on
        </label>
        <button type="submit" className="press" disabled={begin.isPending}>
          {begin.isPending ? "Connecting" : "Watch the server"}
        </button>
      </div>
      <p className="mt-1 text-sm text-quiet">
        One look a second through one connection: who is active, what each session waits for, and who keeps
        whom waiting. Nothing is written to the server.
      </p>
      <Wrong error={begin.error} />
    </form>
  );
}
