import type { Schemas } from "../api/client";

export type Side = "before" | "after";
export type Operator = Schemas["OperatorView"];
export type Comparison = Schemas["ComparisonView"];

/** The operator that a reader looks at: on which side, and its place in that plan. */
export type Choice = { side: Side; at: number } | null;

export const same = (a: Choice, side: Side, at: number) => a?.side === side && a.at === at;

export const operatorOf = (comparison: Comparison, choice: Choice): Operator | null =>
  (choice && comparison.rows.map((r) => r[choice.side]).find((o) => o?.at === choice.at)) ?? null;

export const marks: Record<string, { sign: string; word: string }> = {
  kept: { sign: "", word: "kept" },
  changed: { sign: "\u2260", word: "changed" },
  added: { sign: "+", word: "added" },
  removed: { sign: "\u2212", word: "removed" },
};

export const sidesOf = (comparison: Comparison): Side[] =>
  (["before", "after"] as const).filter((s) => comparison[s] !== null);
