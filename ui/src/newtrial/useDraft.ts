import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";

export type Draft = {
  subject: string;
  bookName: string;
  title: string;
  workload: string;
  change: string;
  tolerance: string;
  maxSeconds: string;
  statementSeconds: string;
  quick: boolean;
  noiseCheck: boolean;
  /** How the two sides come about, of a database on a server. */
  sides: Sides;
  afterSubject: string;
  /** The database's name, typed to say that it may keep the change; not kept in the browser either. */
  expendable: string;
  /** Never kept in the browser. */
  password: string;
  afterPassword: string;
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
  change: "",
  tolerance: "5",
  maxSeconds: "",
  statementSeconds: "30",
  quick: false,
  noiseCheck: false,
  sides: "copies",
  afterSubject: "",
  expendable: "",
  password: "",
  afterPassword: "",
};

/** What may lie in the browser: passwords may not, wherever they were typed. */
const kept = (draft: Draft): Draft => {
  const without = (address: string) =>
    address.replace(/^(\s*[a-z]+:\/\/[^/@:]*):[^@]*@/i, "$1@").replace(/\b(password|pwd)\s*=[^;&\s]*/gi, "");
  return {
    ...draft,
    subject: without(draft.subject),
    afterSubject: without(draft.afterSubject),
    expendable: "",
    password: "",
    afterPassword: "",
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
    only: null,
    sides: onServer(draft.subject) ? draft.sides : ("copies" as const),
    afterSubject: draft.sides === "pair" && onServer(draft.subject) ? draft.afterSubject : null,
    mostGigabytes: 50,
    expendable: draft.sides === "inPlace" && onServer(draft.subject) ? draft.expendable : null,
  };
}
