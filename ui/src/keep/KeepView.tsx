import { Link, useParams } from "@tanstack/react-router";
import { useBook } from "../api/hooks";
import { type Alert, type Alerts, type Round, useAlerts, useRounds } from "../api/keep";
import { count, elapsed, moment } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { Wrong } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";

/** What the server does for a book by itself: its rounds on the left, what it told on the right. */
export function KeepView() {
  const id = Number(useParams({ strict: false }).bookId);
  const book = useBook(id);
  const rounds = useRounds(id);
  const alerts = useAlerts(id);
  const name = book.data?.book.name;
  return (
    <Frame
      title={name ? `Rounds and alerts of ${name}` : undefined}
      at={
        <>
          <BookLink id={id} name={name} />
          {" / "}rounds and alerts
        </>
      }
      of={rounds}
      reading="Reading the rounds."
    >
      {rounds.data && (
        <Spread
          name="keep"
          left={
            <Page label="Rounds" head={<h1 className="head">Rounds</h1>}>
              <Rounds rounds={rounds.data} book={name ?? ""} />
            </Page>
          }
          right={
            <Page label="Alerts" head={<h2 className="head">Alerts</h2>}>
              <Wrong error={alerts.error} />
              {alerts.data && <Told page={alerts.data} book={id} />}
            </Page>
          }
        />
      )}
    </Frame>
  );
}

export function Rounds({ rounds, book }: { rounds: Round[]; book: string }) {
  return (
    <>
      {rounds.length === 0 && (
        <p className="mb-2 text-quiet">
          No rounds yet. A round reads what a log got since the last time, or watches the sessions of the
          server for a while, again and again.
        </p>
      )}
      <ul>
        {rounds.map((r) => (
          <li key={r.id} className="mb-3">
            <div className="flex flex-wrap items-baseline justify-between gap-x-3">
              <h3 className="font-bold">{r.name}</h3>
              <span className="text-quiet text-sm">
                every {elapsed(r.everySeconds)}
                {r.running ? ", at it now" : `, next ${moment(r.nextAt)}`}
              </span>
            </div>
            <p className="break-all">{r.what}</p>
            {r.lastAt && (
              <p className={r.problem ? "border-l-2 border-failed pl-2 text-failed" : "text-quiet"}>
                {moment(r.lastAt)}: {r.problem ?? r.told}
                {r.runs > 1 && <span className="text-quiet"> Done {count(r.runs)} times.</span>}
              </p>
            )}
          </li>
        ))}
      </ul>
      <p className="text-quiet text-sm">
        Kept by a command alone, for it says which files of this machine are read:
      </p>
      <pre className="whitespace-pre-wrap break-words text-sm">{`./swift-ledger keep add --book '${book.replaceAll("'", "'\\''")}' --name 'app log' \\
  --capture /var/log/app --every 300`}</pre>
    </>
  );
}

const kinds: Record<string, string> = {
  ledgerAltered: "ledger altered",
  promiseBroken: "promise broken",
  dearer: "dearer",
  unannounced: "unannounced",
  held: "held",
  offPlan: "off its plan",
};

export function Told({ page, book }: { page: Alerts; book: number }) {
  return (
    <>
      <p className="mb-2 text-quiet">
        {page.channels.length > 0
          ? `What comes to the front page and goes from it is told through: ${page.channels.join(", ")}.`
          : "Nobody is told: the server was started without --alerts-file, --alerts-run or --alerts-post. What would be told stands here."}
      </p>
      {page.alerts.length === 0 ? (
        <p className="text-quiet">Nothing was to be told yet.</p>
      ) : (
        <table className="ruled">
          <thead>
            <tr>
              <th scope="col">from</th>
              <th scope="col">until</th>
              <th scope="col">what</th>
            </tr>
          </thead>
          <tbody>
            {page.alerts.map((a) => (
              <tr key={a.id}>
                <td className="whitespace-nowrap align-top">{moment(a.beganAt)}</td>
                <td className="whitespace-nowrap align-top">
                  {a.endedAt ? moment(a.endedAt) : <span className="text-quiet">it lasts</span>}
                </td>
                <td className="w-full">
                  <span className={a.endedAt ? "text-quiet" : "font-bold"}>{kinds[a.kind] ?? a.kind}</span>:{" "}
                  <About alert={a} book={book} />
                  {a.deliveries.map((d) => (
                    <span
                      key={`${d.channel} ${d.isOver}`}
                      className={
                        d.deliveredAt
                          ? "block text-quiet text-sm"
                          : "block border-l-2 border-failed pl-2 text-failed text-sm"
                      }
                    >
                      {d.isOver ? "its end, " : ""}
                      {d.channel}: {sent(d)}
                    </span>
                  ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function sent(d: Alert["deliveries"][number]): string {
  const tries = d.tries > 1 ? `, at the ${count(d.tries)}. try` : "";
  return d.deliveredAt
    ? `arrived ${moment(d.deliveredAt)}${tries}`
    : d.nextAt
      ? d.problem
        ? `${d.problem} Next try ${moment(d.nextAt)}.`
        : "on its way"
      : `given up after ${count(d.tries)} tries: ${d.problem}`;
}

function About({ alert, book }: { alert: Alert; book: number }) {
  return alert.hash ? (
    <Link
      className="link"
      to="/books/$bookId/statements/$hash"
      params={{ bookId: String(book), hash: alert.hash }}
    >
      {alert.text}
    </Link>
  ) : alert.entry !== null ? (
    <Link
      className="link"
      to="/books/$bookId/entries/$number"
      params={{ bookId: String(book), number: String(alert.entry) }}
    >
      {alert.text}
    </Link>
  ) : (
    alert.text
  );
}
