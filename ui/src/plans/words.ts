/** What our own words and marks mean. Terms of the trade are not among them. */
export type OwnWord = { id: string; title: string; what: string };

export const ownWords: OwnWord[] = [
  {
    id: "book",
    title: "book",
    what: "All that is known of one database: its changes, trials, captures, and what was decided. A book opens with the first trial of a database, or with the first capture.",
  },
  {
    id: "trial",
    title: "trial",
    what: "A workload measured before and after a change, on two private copies of one database. The database itself is only read.",
  },
  {
    id: "line",
    title: "line, case",
    what: "A statement with one set of values for its parameters is a case. Each case is a line of the trial, with a verdict of its own.",
  },
  {
    id: "block",
    title: "block",
    what: "The smallest unit of measuring: both sides executed so and so often, one right after the other, in an order that is drawn by lot. A block gives one ratio, so that whatever slows the machine slows both sides alike.",
  },
  {
    id: "look",
    title: "look",
    what: "After so and so many blocks the rule looks whether the interval settles the verdict. How often it may look is fixed beforehand, and the error of all looks together is what the confidence says.",
  },
  {
    id: "interval",
    title: "interval, and how it is drawn",
    what: "Where the true ratio of after to before lies, with the confidence that is told. The axis is logarithmic, with no change in the middle; the dot is the measured ratio, the line its interval, the shaded field the band. An arrow stands for an interval that lies wholly beyond the edge. A verdict needs the whole line on one side of the band, or inside it.",
  },
  {
    id: "band",
    title: "band",
    what: "The change that counts as none: 5 % to either side unless a workload says otherwise, and never less than the floor of 2 microseconds.",
  },
  {
    id: "regressed",
    title: "regressed, improved, level",
    what: "The interval lies wholly above the band, below it, or inside it. The mark is a beam on a pivot whose right end is the after side: it sinks where that is dearer, rises where cheaper, and lies still where level.",
  },
  {
    id: "unsettled",
    title: "unsettled",
    what: "The interval still crosses an edge of the band at the last look, or the trial's time was spent: neither a change nor its absence is shown. Drawn in dashes, and open on the strip.",
  },
  {
    id: "work",
    title: "by work",
    what: "Decided by what the engine counted and not by the clock: counts are the same at each execution, so that far more work is a regression however fast the machine is.",
  },
  {
    id: "noted",
    title: "noted",
    what: "Something about the line that a reader should know besides its verdict: another order of rows, values that were all alike, a plan that differs between executions. The line's page says it.",
  },
  {
    id: "strip",
    title: "strip",
    what: "All lines of a trial at once: each stands on the axis of its change, as high as its share of the bill. Small, in lists, all trials share one axis from 30 times cheaper to 30 times dearer.",
  },
  {
    id: "bill",
    title: "bill",
    what: "What a day of the workload costs: calls a day times mean time, summed over the lines that say how often they are called. In database-seconds: seconds in which the database was busy with it.",
  },
  {
    id: "standing",
    title: "standing plan",
    what: "The plan that a statement is to run with. Somebody made it so; a line that runs by another one after the change says that it leaves it, until it is let go.",
  },
  {
    id: "daybook",
    title: "daybook",
    what: "What was executed, and when, as logs and traces told it, with the deployments that stood in between.",
  },
  {
    id: "usual",
    title: "the usual",
    what: "What that hour of the week takes as a rule, from the same hours of other weeks or days. A departure is an hour that lies further from it than chance explains.",
  },
];
