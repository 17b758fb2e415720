import type { CheckState, GateCourse } from "../api/gate";
import { three } from "../format/figures";

export const stateWords: Record<CheckState, string> = {
  kept: "kept",
  broken: "broken",
  notJudged: "not judged",
  excused: "allowed",
  noted: "told",
};

export const stateInks: Record<CheckState, string> = {
  kept: "text-quiet",
  broken: "text-dearer font-semibold",
  notJudged: "text-unsettled font-semibold",
  excused: "",
  noted: "text-quiet",
};

/** What names a limit in an address. */
export const keyOf = ({ latest: l }: GateCourse): string => [l.rule, l.name, l.limit].join("|");

/** What of a limit is left, or by how much it is exceeded; nothing where that has no meaning. */
export const roomOf = (room: number | null): string =>
  room === null ? "" : room < 0 ? `${three(-room * 100)} % over` : `${three(room * 100)} %`;

/** Where the glossary explains a rule. */
export const ruleAnchor = (rule: string): string => `rule-${rule}`;

/** What is limited, and of what. */
export const titleOf = ({ latest: l }: GateCourse): string =>
  l.house ? l.title : l.limit.length > 0 ? l.limit : l.title;
