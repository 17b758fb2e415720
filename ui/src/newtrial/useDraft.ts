import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";

export type Draft = {
  subject: string;
  bookName: string;
  title: string;
  workload: string;
  /** Names of the statements that are measured; empty for all. */
  only: string[];
  change: string;
  tolerance: string;
  maxSeconds: string;
  changeSeconds: string;
  statementSeconds: string;
  quick: boolean;
  noiseCheck: boolean;
  /** How the two sides come about, of a database on a server. */
  sides: Sides;
  afterSubject: string;
  /** Whose rows come along with a dump. */
  dumpRows: "all" | "chosen" | "none";
  dumpTables: string;
  /** Rows made for each row of the subject in the other tables; empty where these stay empty. */
  madeRows: string;
  /** A database of the server that holds the copies; empty for the subject's own. */
  copiesOn: string;
  /** The database's name, typed to say that it may keep the change; not kept in the browser either. */
  expendable: string;
  /** Every statement and function is known, and may run with the connection's own rights; said anew each time. */
  trustSql: boolean;
  /** Never kept in the browser. */
  password: string;
  otherPassword: string;
};

export type Sides = Schemas["SubjectSides"];

export const onServer = (subject: string) =>
  /^\s*(postgres(ql)?:\/\/|(host|server)\s*=|.*;\s*(host|server)\s*=)/i.test(subject);

const key = "draft";

const empty: Draft = {
  subject: "",
  bookName: "",
  title: "",
  workload: "",
  only: [],
  change: "",
  tolerance: "5",
  maxSeconds: "",
  changeSeconds: "",
  statementSeconds: "30",
  quick: false,
  noiseCheck: false,
  sides: "copies",
  afterSubject: "",
  dumpRows: "all",
  dumpTables: "",
  madeRows: "",
  copiesOn: "",
  expendable: "",
  trustSql: false,
  password: "",
  otherPassword: "",
};

/** What may lie in the browser: passwords may not, wherever they were typed. */
const kept = (draft: Draft): Draft => {
  const without = (address: string) =>
    address.replace(/^(\s*[a-z]+:\/\/[^/@:]*):[^@]*@/i, "$1@").replace(/\b(password|pwd)\s*=[^;&\s]*/gi, "");
  return {
    ...draft,
    subject: without(draft.subject),
    afterSubject: without(draft.afterSubject),
    copiesOn: without(draft.copiesOn),
    expendable: "",
    trustSql: false,
    password: "",
    otherPassword: "",
  };
};

/** What is being written, kept in the browser until it is started: an error, a reload or a closed tab loses nothing. */
export function useDraft() {
  const [draft, setDraft] = useState<Draft>(() => {
    try {
      return { ...empty, ...JSON.parse(localStorage.getItem(key) ?? "{}") };
    } catch {
      return empty;
    }
  });
  useEffect(() => localStorage.setItem(key, JSON.stringify(kept(draft))), [draft]);
  return {
    draft,
    set: (part: Partial<Draft>) => setDraft((d) => ({ ...d, ...part })),
    clear: () => setDraft(empty),
  };
}

/** What copies of a dump hold; null where they are the whole subject on its own server. */
function dumpOf(draft: Draft): Schemas["DumpContents"] | null {
  const whole = draft.dumpRows === "all";
  const on = draft.copiesOn.trim();
  if (draft.sides !== "dumped" || (whole && on === "")) {
    return null;
  }
  const named = draft.dumpTables.split(",").map((t) => t.trim());
  return {
    tables: whole ? null : draft.dumpRows === "none" ? [] : named.filter((t) => t !== ""),
    madeRows: whole || draft.madeRows.trim() === "" ? null : Number(draft.madeRows) || 0,
    on: on || null,
  };
}

/** The settings as the server takes them; an unreadable number is sent as 0, which the server explains. */
export function settingsOf(draft: Draft) {
  const number = (text: string) => (Number.isFinite(Number(text)) ? Number(text) : 0);
  return {
    tolerancePercent: number(draft.tolerance),
    maxSeconds: draft.maxSeconds.trim() === "" ? null : number(draft.maxSeconds),
    statementSeconds: number(draft.statementSeconds),
    quick: draft.quick,
    noiseCheck: draft.noiseCheck,
    seed: 1,
    only: draft.only.length > 0 ? draft.only : null,
    sides: onServer(draft.subject) ? draft.sides : ("copies" as const),
    afterSubject: draft.sides === "pair" && onServer(draft.subject) ? draft.afterSubject : null,
    mostGigabytes: 50,
    dump: onServer(draft.subject) ? dumpOf(draft) : null,
    expendable: draft.sides === "inPlace" && onServer(draft.subject) ? draft.expendable : null,
    trustSql: onServer(draft.subject) && draft.trustSql,
    changeSeconds: draft.changeSeconds.trim() === "" ? null : number(draft.changeSeconds),
    changeGigabytes: null,
    mostMegabytes: 700,
  };
}
