import type { Proof } from "../api/proposals";
import { count, percent } from "../format/figures";
import { Copy } from "../parts/Copy";
import { Sql } from "../parts/Sql";

const heldBy: Record<string, { text: string; ink: string }> = {
  schema: { text: "The schema or the statement sees to it.", ink: "text-quiet" },
  rows: { text: "The rows are so now, and nothing else sees to it.", ink: "text-unsettled" },
  nobody: { text: "It is not so: there are rows that break it.", ink: "text-failed font-semibold" },
  unknown: { text: "It could not be asked.", ink: "text-unsettled" },
};

/** Why other words are the same query: each condition and what sees to it, the rows of its cases, and the search for a database that tells both apart. */
export function ProofOf({ proof }: { proof: Proof }) {
  return (
    <>
      <h3 className="section">Is it the same query?</h3>
      <ol className="list-inside list-decimal">
        {proof.conditions.map((c) => (
          <li key={c.sentence} className="py-0.5">
            {c.sentence} <span className={heldBy[c.by]?.ink}>{heldBy[c.by]?.text ?? c.by}</span>
            {c.counterexample && c.counterexample !== proof.counterexample && (
              <details className="mt-1 ml-4">
                <summary className="link text-sm">a database in which it is needed</summary>
                <Script text={c.counterexample} />
              </details>
            )}
          </li>
        ))}
        <li className="py-0.5">
          {proof.sameRows === true
            ? `${count(proof.cases)} ${proof.cases === 1 ? "case gives" : "cases give"} the same rows on the copies.`
            : proof.sameRows === false
              ? "On the copies it gives other rows."
              : "Its rows do not repeat, so the copies tell nothing."}
        </li>
        <li className="py-0.5">{searched(proof)}</li>
      </ol>
      {proof.counterexample && (
        <>
          <p className="mt-2 font-semibold text-failed">
            Not the same. This script, run anywhere, shows the difference:
          </p>
          <Script text={proof.counterexample} />
        </>
      )}
    </>
  );
}

function searched(proof: Proof): string {
  if (proof.unsearched) {
    return `Not tried on made databases: ${proof.unsearched}.`;
  }
  if (proof.databases === 0) {
    return "A small made database tells both apart.";
  }
  const where = proof.conditions.some((c) => c.by === "nobody") ? " in which all of this holds" : "";
  return `${count(proof.databases)} small made databases${where} tell no difference; in ${percent(proof.withRows / proof.databases)} of them the answer had rows.`;
}

function Script({ text }: { text: string }) {
  return (
    <div className="mt-1">
      <Sql text={text} label="Script that shows the difference" />
      <p className="text-sm">
        <Copy what="the script" press="copy" text={text} />
      </p>
    </div>
  );
}
