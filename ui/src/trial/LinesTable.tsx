import { type ReactNode, useMemo, useRef, useState } from "react";
import type { LineView, TrialPageView } from "../api/client";
import { shortRatio, three } from "../format/figures";
import { IntervalBar } from "../parts/IntervalBar";
import { useSearchKey } from "../parts/keys";
import { inkOf, SideMark, VerdictMark, verdictOrder } from "../parts/Mark";
import { useOneStop } from "../parts/oneStop";
import { Word } from "../parts/Word";
import { countsOf, type LinesView, rowsOf, type Sort, type SortKey } from "./rows";
import { Strip } from "./Strip";
import { changeOf } from "./stems";

type Props = {
  page: TrialPageView;
  head: ReactNode;
  selected: number | null;
  open: (line: number) => void;
  /** What is shown of them, where something else keeps that. */
  kept?: [LinesView, (view: LinesView) => void];
};

/** The lines of a trial as a ruled table, all of them at once above it, and the bill at its foot. */
export function LinesTable({ page, head, selected, open, kept }: Props) {
  const own = useState<LinesView>({});
  const [view, setView] = kept ?? own;
  const set = (change: LinesView) => setView({ ...view, ...change });
  const sort: Sort = { key: view.sort ?? "verdict", down: view.down ?? false };
  const verdicts = useMemo(() => new Set(view.show?.split(",")), [view.show]);
  const text = view.find ?? "";
  const { from, to } = view;
  const span = useMemo(
    () =>
      from === undefined && to === undefined ? undefined : { from: from ?? 0, to: to ?? Number.MAX_VALUE },
    [from, to],
  );
  const search = useRef<HTMLInputElement>(null);
  const body = useRef<HTMLTableSectionElement>(null);
  const { key, down } = sort;
  const rows = useMemo(
    () => rowsOf(page.lines, { key, down }, verdicts, text, span),
    [page.lines, key, down, verdicts, text, span],
  );
  useSearchKey(search);
  useOneStop(body);
  /** While a line is open, the page on the right follows the focus. */
  const follow = (to: HTMLElement) => {
    const line = Number(to.id.replace("line-", ""));
    if (selected !== null && line > 0 && line !== selected) {
      open(line);
    }
  };
  return (
    <section aria-label="Lines" className="flex h-full flex-col">
      <div className="shrink-0 px-5 pt-3 pb-1">{head}</div>
      <Strip
        page={page}
        selected={selected}
        choose={open}
        span={span}
        narrow={(s) =>
          set({
            from: s && s.from > 0 ? s.from : undefined,
            to: s && s.to < Number.MAX_VALUE ? s.to : undefined,
          })
        }
      />
      <Filters
        page={page}
        verdicts={verdicts}
        setVerdicts={(v) => set({ show: v.size > 0 ? [...v].join(",") : undefined })}
        text={text}
        setText={(t) => set({ find: t === "" ? undefined : t })}
        search={search}
        shown={rows.length}
      />
      <div
        className="min-h-0 flex-1 overflow-y-auto pr-2 pl-5"
        tabIndex={0}
        role="group"
        aria-label="Lines of this trial"
      >
        <table className="ruled">
          <Heads sort={sort} setSort={(s) => set({ sort: s.key, down: s.down || undefined })} />
          <tbody ref={body} onFocus={(e) => follow(e.target as HTMLElement)}>
            {rows.map((l) => (
              <Row
                key={l.result.number}
                line={l}
                live={page.trial.state === "running" || page.trial.state === "waiting"}
                chosen={l.result.number === selected}
                open={open}
              />
            ))}
          </tbody>
        </table>
        {rows.length === 0 && page.lines.length > 0 && (
          <p className="py-3 text-quiet">No line passes this filter.</p>
        )}
      </div>
      <Foot page={page} />
    </section>
  );
}

function Heads({ sort, setSort }: { sort: Sort | null; setSort: (sort: Sort) => void }) {
  const head = (key: SortKey, label: ReactNode, numeric = false) => (
    <th
      scope="col"
      className={numeric ? "num" : ""}
      aria-sort={sort?.key === key ? (sort.down ? "descending" : "ascending") : undefined}
    >
      <button
        type="button"
        className="cursor-pointer font-semibold"
        onClick={() =>
          setSort({ key, down: sort?.key === key ? !sort.down : key !== "verdict" && key !== "statement" })
        }
      >
        {label}
        {sort?.key === key && <SortMark down={sort.down} />}
      </button>
    </th>
  );
  return (
    <thead className="sticky top-0 z-10 bg-paper shadow-[0_1px_0_var(--color-ink)]">
      <tr>
        {head("verdict", "verdict")}
        {head("statement", "statement, case")}
        {head(
          "before",
          <>
            <SideMark side="before" />
            before, ms
          </>,
          true,
        )}
        {head(
          "after",
          <>
            <SideMark side="after" />
            after, ms
          </>,
          true,
        )}
        {head("change", "change", true)}
        <th scope="col" className="roomy">
          <Word id="interval">interval</Word>
        </th>
      </tr>
    </thead>
  );
}

/** Which way a column is sorted: a wedge that is wide where the large numbers are. */
function SortMark({ down }: { down: boolean }) {
  return (
    <svg width="8" height="8" viewBox="0 0 8 8" aria-hidden="true" className="ml-1 inline-block">
      <path d={down ? "M0 1H8L4 7Z" : "M0 7H8L4 1Z"} fill="currentColor" />
    </svg>
  );
}

type RowProps = { line: LineView; live: boolean; chosen: boolean; open: (line: number) => void };

function Row({ line, live, chosen, open }: RowProps) {
  const r = line.result;
  const band = 1 + r.tolerancePercent / 100;
  const change = changeOf(line);
  const quiet = r.verdict === "level" || r.verdict === null;
  return (
    <tr className={chosen ? "bg-chosen" : "hover:bg-inset"}>
      <td className="w-[7.6rem]">
        {r.verdict ? (
          <VerdictMark verdict={r.verdict} basis={r.basis} />
        ) : (
          <span className="whitespace-nowrap text-quiet">
            {live ? line.state : r.time ? "not settled" : "not measured"}
          </span>
        )}
      </td>
      <td className="max-w-0 w-full truncate" title={r.message ?? r.binds}>
        <button
          type="button"
          id={`line-${r.number}`}
          aria-current={chosen}
          className="shortened max-w-full cursor-pointer truncate text-left align-bottom"
          onClick={() => open(r.number)}
        >
          <bdi dir="ltr">
            {r.statement}
            <span className="text-quiet"> {r.case}</span>
            {r.rewritten && <span className="text-sm text-quiet"> rewritten</span>}
            {line.leavesStanding && <span className="text-sm text-dearer"> leaves its standing plan</span>}
            {r.notices.length > 0 && (
              <span className="text-sm text-quiet" title={r.notices.join(" ")}>
                {" "}
                noted
              </span>
            )}
          </bdi>
        </button>
      </td>
      <td className="num">{r.time && three(r.time.beforeMs)}</td>
      <td className="num">{r.time && three(r.time.afterMs)}</td>
      <td className={`num ${quiet ? "text-quiet" : inkOf(r.verdict)}`}>
        {r.reason?.code === "underFloor" && <span title={r.message ?? ""}>floor </span>}
        {change !== null && shortRatio(change)}
      </td>
      <td className="roomy w-[92px] align-middle">
        {r.time && r.time.low !== null && r.time.high !== null && (
          <IntervalBar
            low={r.time.low}
            high={r.time.high}
            centre={r.time.ratio}
            bandLow={1 / band}
            bandHigh={band}
            verdict={r.verdict}
            width={84}
            height={13}
            reach={1.35}
          />
        )}
      </td>
    </tr>
  );
}

function Filters(p: {
  page: TrialPageView;
  verdicts: Set<string>;
  setVerdicts: (v: Set<string>) => void;
  text: string;
  setText: (t: string) => void;
  search: React.RefObject<HTMLInputElement | null>;
  shown: number;
}) {
  const counts = countsOf(p.page.lines);
  const toggle = (verdict: string) => {
    const next = new Set(p.verdicts);
    if (!next.delete(verdict)) {
      next.add(verdict);
    }
    p.setVerdicts(next);
  };
  return (
    <div className="flex shrink-0 flex-wrap items-baseline gap-x-4 gap-y-1 px-5 pb-1 text-sm">
      {[...verdictOrder, "open"]
        .filter((v) => counts.has(v))
        .map((v) => (
          <label key={v} className="flex items-baseline gap-1 whitespace-nowrap">
            <input type="checkbox" checked={p.verdicts.has(v)} onChange={() => toggle(v)} />
            {v} {counts.get(v)}
          </label>
        ))}
      <input
        ref={p.search}
        aria-label="Search statements and values"
        className="field ml-auto w-40 text-sm"
        placeholder="search   /"
        value={p.text}
        onChange={(e) => p.setText(e.target.value)}
      />
    </div>
  );
}

function Foot({ page }: { page: TrialPageView }) {
  const { bill } = page;
  if (bill.items.length === 0) {
    return null;
  }
  return (
    <div className="shrink-0 pr-2 pb-2 pl-5">
      <table className="ruled total">
        <tbody>
          <tr>
            <th scope="row" className="w-full text-ink!">
              <Word id="bill">bill</Word>, database-seconds a day
              {page.trial.state === "running" && (
                <span className="font-normal text-quiet"> of the lines so far</span>
              )}
            </th>
            <td className="num font-semibold">
              <SideMark side="before" />
              <span className="sr-only">before </span>
              {three(bill.beforeSecondsPerDay)}
            </td>
            <td className="num font-semibold">
              <SideMark side="after" />
              <span className="sr-only">after </span>
              {three(bill.afterSecondsPerDay)}
            </td>
            <td className="num w-32 font-semibold">
              {shortRatio(bill.afterSecondsPerDay / bill.beforeSecondsPerDay)}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  );
}
