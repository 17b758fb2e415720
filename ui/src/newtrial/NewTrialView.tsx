import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { getRouteApi, useNavigate } from "@tanstack/react-router";
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { api, dataOf, type Problem, Refused } from "../api/client";
import { useDaybook, useTaken } from "../api/daybook";
import { useBook, useStartTrial, useTrial } from "../api/hooks";
import { Frame } from "../parts/Frame";
import { Problems, Wrong } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { SqlEditor } from "../parts/SqlEditor";
import { ServerFields } from "./ServerFields";
import { Settings } from "./Settings";
import { SubjectField } from "./SubjectField";
import { Statements, Steps } from "./Understood";
import { type Draft, onServer, settingsOf, useDraft } from "./useDraft";

const route = getRouteApi("/new");

type Place = { line: number; column: number };

/** A new trial: database and workload on the left page, change and settings on the right. */
export function NewTrialView() {
  const search = route.useSearch();
  const navigate = useNavigate();
  const { draft, set, clear } = useDraft();
  const start = useStartTrial();
  const [workloadPlace, setWorkloadPlace] = useState<Place | null>(null);
  const [changePlace, setChangePlace] = useState<Place | null>(null);
  const [choosing, setChoosing] = useState(false);
  const unfilled = usePrefill(search, set);
  const check = useCheck(draft);

  const touched = draft.subject !== "" || draft.workload !== "" || draft.change !== "";
  const found = check.data?.problems ?? [];
  const refused = start.error instanceof Refused ? start.error.problems : [];
  const problems = touched ? found : [];
  const missing = touched ? (check.data?.missing ?? []) : [];
  const of = (part: string) => problems.filter((p) => p.part === part);
  const go = (p: Problem) =>
    (p.part === "change" ? setChangePlace : setWorkloadPlace)({ line: p.line ?? 1, column: p.column ?? 1 });
  const begin = () =>
    start.mutate(
      {
        subject: draft.subject.trim(),
        workload: draft.workload,
        change: draft.change,
        title: draft.title,
        bookName: draft.bookName,
        settings: settingsOf({ ...draft, only }),
        password: draft.password || null,
        otherPassword: draft.otherPassword || null,
      },
      {
        onSuccess: (t) => {
          clear();
          navigate({ to: "/trials/$trialId", params: { trialId: String(t.id) } });
        },
      },
    );
  const beginRef = useRef(begin);
  beginRef.current = begin;
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => e.key === "Enter" && (e.ctrlKey || e.metaKey) && beginRef.current();
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  const statements = check.data?.statements ?? [];
  const only = draft.only.filter((n) => statements.some((s) => s.name === n));
  const lines = statements
    .filter((s) => only.length === 0 || only.includes(s.name))
    .reduce((n, s) => n + s.cases.length, 0);

  return (
    <Frame at="New trial" title="New trial">
      <Spread
        name="new"
        start={0.55}
        left={
          <div className="flex h-full flex-col overflow-y-auto px-5 py-3">
            <div className="flex items-baseline gap-3">
              <h1 className="head min-w-0 truncate">
                New trial
                {draft.bookName || draft.subject ? ` in ${draft.bookName || "a book of its own"}` : ""}
              </h1>
              {touched && (
                <span className="ml-auto shrink-0 text-sm text-quiet">
                  {draft.title ? `draft: ${draft.title}` : "a draft, kept in this browser"}{" "}
                  <button
                    type="button"
                    className="link"
                    onClick={() => {
                      clear();
                      navigate({ to: "/new", search: {}, replace: true });
                    }}
                  >
                    empty it
                  </button>
                </span>
              )}
            </div>
            <SubjectField
              subject={draft.subject}
              problems={draft.subject === "" ? [] : of("subject")}
              onChange={(subject, name) => set(name ? { subject, bookName: name } : { subject })}
            />
            {onServer(draft.subject) && (
              <ServerFields draft={draft} set={set} choosing={choosing} setChoosing={setChoosing} />
            )}
            {!(choosing && onServer(draft.subject)) && (
              <>
                <h2 className="mt-2 font-semibold">Workload: what runs on it</h2>
                <div className="min-h-40 flex-[3]">
                  <SqlEditor
                    label="Workload"
                    value={draft.workload}
                    onChange={(workload) => set({ workload })}
                    problems={draft.workload === "" ? [] : of("workload")}
                    place={workloadPlace}
                  />
                </div>
                <div
                  className="mt-2 min-h-24 flex-[2] overflow-y-auto"
                  tabIndex={0}
                  role="group"
                  aria-label="Statements found"
                >
                  {draft.workload !== "" && <Problems problems={of("workload")} go={go} />}
                  {draft.workload !== "" && <Problems problems={missing} go={go} />}
                  <Statements
                    statements={statements}
                    only={draft.only}
                    setOnly={(only) => set({ only })}
                    go={(line) => setWorkloadPlace({ line, column: 1 })}
                  />
                </div>
              </>
            )}
          </div>
        }
        right={
          <Page
            label="Change and settings"
            foot={
              <div className="border-t border-ink pt-2">
                <Settings draft={draft} set={set} />
                <div className="mt-2 flex items-baseline gap-3">
                  <button type="button" className="press main" onClick={begin} disabled={start.isPending}>
                    {draft.noiseCheck ? "Start the noise check" : "Start the trial"}
                  </button>
                  <span className="text-quiet">
                    {problems.length > 0
                      ? `${problems.length} to put right first`
                      : lines > 0
                        ? `${lines} ${lines === 1 ? "line" : "lines"} will be ${onServer(draft.subject) && draft.sides === "rolledBack" ? "compared, not timed" : `measured${!onServer(draft.subject) || draft.sides === "copies" || draft.sides === "dumped" ? ", on copies" : ""}`}`
                        : ""}
                  </span>
                </div>
                {problems.length === 0 && missing.length > 0 && (
                  <p className="mt-2 border-l-2 border-unsettled pl-2">
                    {missing.length === 1 ? "1 statement names" : `${missing.length} statements name`} what
                    this database does not have, and will fail.
                  </p>
                )}
                {problems.length === 0 && check.data?.tooShort && (
                  <p className="mt-2 border-l-2 border-unsettled pl-2">{check.data.tooShort}</p>
                )}
                <Problems problems={refused} go={go} />
                <Wrong error={(refused.length === 0 ? start.error : null) ?? check.error ?? unfilled} />
              </div>
            }
          >
            <div className="flex h-full flex-col pt-3">
              <label className="font-semibold" htmlFor="title">
                Change: what is tested
              </label>
              <input
                id="title"
                className="field"
                placeholder="title; else the change's first line"
                value={draft.title}
                onChange={(e) => set({ title: e.target.value })}
              />
              <div className={`mt-2 min-h-40 flex-[3] ${draft.noiseCheck ? "opacity-50" : ""}`}>
                <SqlEditor
                  label="Change"
                  value={draft.change}
                  onChange={(change) => set({ change })}
                  problems={draft.change === "" ? [] : of("change")}
                  place={changePlace}
                />
              </div>
              <div className="mt-2 flex-[2]">
                {draft.change !== "" && <Problems problems={of("change")} go={go} />}
                {draft.noiseCheck ? (
                  <p className="text-quiet">A noise check applies no change: both sides stay equal.</p>
                ) : (
                  <Steps steps={check.data?.steps ?? []} go={(line) => setChangePlace({ line, column: 1 })} />
                )}
              </div>
            </div>
          </Page>
        }
      />
    </Frame>
  );
}

/** What the server makes of the files as they stand. */
function useCheck(draft: Draft) {
  const body = {
    subject: useDeferredValue(draft.subject.trim()),
    workload: useDeferredValue(draft.workload),
    change: useDeferredValue(draft.change),
    noiseCheck: draft.noiseCheck,
    sides: onServer(draft.subject) ? draft.sides : ("copies" as const),
    maxSeconds: settingsOf(draft).maxSeconds ?? null,
  };
  return useQuery({
    queryKey: ["check", body],
    queryFn: async () => dataOf(await api.POST("/api/check", { body })),
    placeholderData: keepPreviousData,
    gcTime: 0,
  });
}

/** Takes the starting texts from the book, change or trial that the address names; tells why they could not be read. */
function usePrefill(
  from: { book?: number; change?: number; trial?: number; deployment?: number; take?: string },
  set: (part: Partial<Draft>) => void,
) {
  const book = useBook(from.book ?? 0);
  const deployments = useDaybook(from.deployment ? (from.book ?? 0) : 0, {}, {});
  const trial = useTrial(from.trial ?? 0);
  const taken = useTaken(from.book ?? 0, from.take ?? "");
  const done = useRef("");
  const key = JSON.stringify(from);
  useEffect(() => {
    const waiting = book.isFetching || (from.deployment && !deployments.data) || (from.take && !taken.data);
    if (from.book && book.data && !waiting && done.current !== key) {
      done.current = key;
      const change = book.data.changes.find((c) => c.id === from.change);
      const deployment = deployments.data?.deployments.find((d) => d.id === from.deployment);
      set({
        subject: book.data.book.subject ?? "",
        bookName: book.data.book.name,
        workload: taken.data?.workload ?? book.data.book.workload,
        only: taken.data?.names ?? [],
        ...(change ? { change: change.text, title: change.title } : {}),
        ...(deployment
          ? { change: deployment.script, title: `${deployment.version} ${deployment.what}`.trim() }
          : {}),
      });
    }
    if (from.trial && trial.data && done.current !== key) {
      done.current = key;
      const { subject, bookName, workload, change, trial: summary, settings } = trial.data;
      set({
        subject,
        bookName,
        workload,
        only: settings.only ?? [],
        change,
        title: settings.noiseCheck ? "" : summary.title,
        tolerance: String(settings.tolerancePercent),
        maxSeconds: settings.maxSeconds === null ? "" : String(settings.maxSeconds),
        changeSeconds: settings.changeSeconds == null ? "" : String(settings.changeSeconds),
        statementSeconds: String(settings.statementSeconds),
        quick: settings.quick,
        noiseCheck: settings.noiseCheck,
        sides: settings.sides,
        afterSubject: settings.afterSubject ?? "",
        dumpRows: !settings.dump?.tables ? "all" : settings.dump.tables.length > 0 ? "chosen" : "none",
        dumpTables: settings.dump?.tables?.join(", ") ?? "",
        madeRows: settings.dump?.madeRows?.toString() ?? "",
        copiesOn: settings.dump?.on ?? "",
      });
    }
  }, [from, key, book.data, book.isFetching, deployments.data, trial.data, taken.data, set]);
  return book.error ?? deployments.error ?? trial.error ?? taken.error;
}
