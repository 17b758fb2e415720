import type { Entry, Outcome } from "../api/entries";

type Word = NonNullable<Outcome["word"]>;

/** What became of a promise: how full the square is, is how much of it came; a corner stands for what nobody said. */
const marks: Record<Word, { text: string; ink: string; path: string; dash?: string }> = {
  kept: { text: "kept", ink: "text-cheaper", path: "M1.5 1.5h9v9h-9Z" },
  keptInPart: { text: "kept in part", ink: "text-cheaper", path: "M1.5 6h9v4.5h-9Z" },
  notKept: { text: "not kept", ink: "text-dearer", path: "" },
  notForeseen: { text: "not foreseen", ink: "text-dearer", path: "M1.5 10.5h9v-9Z" },
  cannotTellYet: { text: "cannot tell yet", ink: "text-unsettled", path: "", dash: "2 1.6" },
};

export const wordOf = (word: Word) => marks[word].text;

export function WordMark({ word }: { word: Word }) {
  const mark = marks[word];
  return (
    <span className={`whitespace-nowrap font-semibold ${mark.ink}`}>
      <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true" className="mr-1.5 inline-block">
        <rect
          x="1.5"
          y="1.5"
          width="9"
          height="9"
          fill="none"
          stroke="currentColor"
          strokeWidth="1.4"
          strokeDasharray={mark.dash}
        />
        {mark.path && <path d={mark.path} fill="currentColor" />}
      </svg>
      {mark.text}
    </span>
  );
}

const states: Record<Entry["state"], string> = {
  proposed: "proposed",
  deployed: "live, being watched",
  reconciled: "reconciled",
  withdrawn: "withdrawn",
  corrected: "corrected",
  resumed: "gone on",
};

export const stateOf = (state: Entry["state"]) => states[state];

const directions = { cheaper: "improved", level: "level", dearer: "regressed" } as const;

/** The verdict that a promised direction was measured as. */
export const verdictOf = (direction: keyof typeof directions) => directions[direction];
