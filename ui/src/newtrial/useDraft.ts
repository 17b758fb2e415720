import { useEffect, useState } from "react";

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
};

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
  useEffect(() => localStorage.setItem(key, JSON.stringify(draft)), [draft]);
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
  };
}
