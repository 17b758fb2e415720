import { type Rehearsal, type RehearsalResult, useRehearsal } from "../api/rehearsals";
import { duration, moment, three } from "../format/figures";
import { IntervalBar } from "../parts/IntervalBar";
import { VerdictMark } from "../parts/Mark";
import { Wrong } from "../parts/Notice";
import { against, measuresOf, sentOf } from "./against";

/** Another rehearsal beside this one: what each change does, and how much more this one's does. */
export function Beside({
  book,
  page,
  other,
  close,
}: {
  book: number;
  page: Rehearsal;
  other: number;
  close: () => void;
}) {
  const that = useRehearsal(book, other);
  const [mine, theirs] = [page.result, that.data?.result];
  return (
    <section aria-label="Beside another rehearsal" className="mb-4">
      <div className="flex items-baseline justify-between gap-3">
        <h3 className="section">Beside {that.data ? `${that.data.title}` : "another"}</h3>
        <button type="button" className="link text-sm" onClick={close}>
          alone
        </button>
      </div>
      <Wrong error={that.error} />
      {that.data && !theirs && <p className="text-quiet">Nothing was measured in it.</p>}
      {mine && theirs && (
        <>
          <Compared
            mine={mine}
            theirs={theirs}
            when={moment(that.data?.startedAt ?? that.data?.createdAt ?? "")}
          />
          {sentOf(mine) !== sentOf(theirs) && (
            <p className="mt-1 text-quiet">
              They do not send the same: {sentOf(mine)} here, {sentOf(theirs)} there.
            </p>
          )}
        </>
      )}
    </section>
  );
}

function Compared({ mine, theirs, when }: { mine: RehearsalResult; theirs: RehearsalResult; when: string }) {
  const rows = measuresOf(mine).flatMap((m) => {
    const other = measuresOf(theirs).find((t) => t.measure === m.measure);
    return other ? [{ m, other, by: against(m, other) }] : [];
  });
  const reach = Math.max(1.5, ...rows.flatMap((r) => (r.by ? [r.by.high, 1 / r.by.low] : [])));
  const band = 1 + mine.options.tolerancePercent / 100;
  const figure = (measure: string, value: number | null) =>
    value === null ? "" : measure === "throughput" ? `${three(value)}/s` : duration(value);
  const side = (m: RehearsalResult["measures"][number]) => (
    <>
      <td className="num">{figure(m.measure, m.before)}</td>
      <td className="num">{figure(m.measure, m.after)}</td>
      <td>{m.verdict && <VerdictMark verdict={m.verdict} />}</td>
    </>
  );
  return (
    <table className="ruled">
      <thead>
        <tr>
          <th scope="col" rowSpan={2}>
            all tasks
          </th>
          <th scope="colgroup" colSpan={3}>
            this
          </th>
          <th scope="colgroup" colSpan={3}>
            the other, {when}
          </th>
          <th scope="colgroup" colSpan={2}>
            this change against the other
          </th>
        </tr>
        <tr>
          {[1, 2].map((n) => [
            <th key={`b${n}`} scope="col" className="num">
              before
            </th>,
            <th key={`a${n}`} scope="col" className="num">
              after
            </th>,
            <th key={`v${n}`} scope="col">
              <span className="sr-only">verdict</span>
            </th>,
          ])}
          <th scope="col" className="num">
            factor
          </th>
          <th scope="col">
            <span className="sr-only">interval</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map(({ m, other, by }) => (
          <tr key={m.measure}>
            <th scope="row" className="font-normal">
              {m.measure}
            </th>
            {side(m)}
            {side(other)}
            <td className="num">{by ? `${three(by.ratio)}` : ""}</td>
            <td>
              {by && (
                <IntervalBar
                  low={by.low}
                  high={by.high}
                  centre={by.ratio}
                  bandLow={1 / band}
                  bandHigh={band}
                  verdict={null}
                  width={90}
                  height={14}
                  reach={reach}
                />
              )}
            </td>
          </tr>
        ))}
      </tbody>
      <caption className="caption-bottom pt-1 text-left text-quiet text-sm">
        They ran at different times, so each is compared with its own before side; the factor is this one's
        after / before over the other's, its interval from the outer ends of both.
      </caption>
    </table>
  );
}
