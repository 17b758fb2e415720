import type { Fate, Kind, Proposal, ProposalSearch } from "../api/proposals";
import { percent, three } from "../format/figures";

export const kinds: { kind: Kind; text: string }[] = [
  { kind: "index", text: "indexes to add" },
  { kind: "drop", text: "indexes that may go" },
  { kind: "rewrite", text: "statements in other words" },
  { kind: "statistics", text: "stale statistics" },
  { kind: "unit", text: "one statement for a unit" },
  { kind: "setting", text: "settings, each on the whole workload" },
];

/** Looked for where nobody says otherwise. */
export const usualKinds: Kind[] = kinds.map((k) => k.kind).filter((k) => k !== "setting");

/** Whether the application sends another text, and nothing in the database is altered. */
export const isOtherWords = (kind: Kind) => kind === "rewrite" || kind === "unit";

/** What became of a proposal in a word, with the verdict by whose ink and mark it is set. */
const fates: Record<Fate, { text: string; verdict: string | null }> = {
  inSet: { text: "in the set", verdict: "improved" },
  open: { text: "not measured", verdict: null },
  needless: { text: "needless beside them", verdict: "level" },
  noSaving: { text: "no saving", verdict: "level" },
  notTold: { text: "cannot tell", verdict: "unsettled" },
  beyondLimit: { text: "beyond the limits", verdict: null },
  notTheSame: { text: "another query", verdict: "failed" },
  failed: { text: "failed", verdict: "failed" },
  turnedDown: { text: "turned down", verdict: null },
};

/** Before the whole set was measured, each that saves does so by itself; what makes the bill rise is more than no saving. */
export const fateOf = (p: Proposal, page: ProposalSearch) =>
  p.item.fate === "inSet" && !page.set
    ? { ...fates.inSet, text: "saves" }
    : p.item.fate === "noSaving" && p.item.measured && p.item.measured.changeLow > 0
      ? { text: "dearer", verdict: "regressed" }
      : p.item.fate === "needless" && p.item.kind === "drop"
        ? { ...fates.needless, text: "needed beside them" }
        : fates[p.item.fate];

const groups: { title: (page: ProposalSearch) => string; fates: Fate[] }[] = [
  { title: (page) => (page.set ? "In the set" : "Each saves by itself"), fates: ["inSet"] },
  { title: () => "Expected, not measured", fates: ["open"] },
  {
    title: () => "Not in the set",
    fates: ["needless", "noSaving", "notTold", "beyondLimit", "notTheSame", "failed"],
  },
  { title: () => "Turned down", fates: ["turnedDown"] },
];

/** The proposals in the order of the account, under the heads that they stand below. */
export const grouped = (page: ProposalSearch) =>
  groups
    .map((g) => ({
      title: g.title(page),
      proposals: page.proposals.filter((p) => g.fates.includes(p.item.fate)),
    }))
    .filter((g) => g.proposals.length > 0);

/** A change of the bill with its sign, in database-seconds a day. */
export const change = (before: number, after: number) => {
  const by = after - before;
  return `${by < 0 ? "\u2212" : by > 0 ? "+" : ""}${three(Math.abs(by))}`;
};

/** What is expected to fall of the work of the whole workload. */
export const lessWork = (left: number | null) =>
  left === null ? "" : left >= 1 ? "none" : `${percent(1 - left)} less`;

/** What a search is at, for its head. */
export function stageOf(page: ProposalSearch): string {
  switch (page.state) {
    case "waiting":
      return page.ahead > 0 ? `Waits for its turn, ${page.ahead} ahead of it.` : "Waits for its turn.";
    case "running":
      return `${capital(page.at ?? "beginning")}.`;
    case "finished":
      return page.tries || page.proposals.length > 0 ? "" : "Nothing was found that would save anything.";
    default:
      return page.message ?? page.state;
  }
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
