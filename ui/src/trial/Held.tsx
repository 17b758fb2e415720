import type { Schemas } from "../api/client";
import { count } from "../format/figures";
import { stateInks, stateWords } from "../gate/words";

type Props = {
  limits: Schemas["TrialLimitView"][];
  /** The way to a line; without one all are about the line that is open. */
  open?: (line: number) => void;
  /** What stands above already. */
  said?: string;
};

/** The limits that the workload and the book's rules state: what the change breaks, and what could not be judged. */
export function Held({ limits, open, said }: Props) {
  if (limits.length === 0) {
    return null;
  }
  const told = limits.filter((l) => l.state !== "kept" && l.state !== "noted");
  const noted = limits.filter((l) => l.state === "noted").length;
  const held = limits.length - noted;
  const kept = held - told.length;
  return (
    <>
      <h3 className="section">What must hold</h3>
      {told.length > 0 && (
        <ul className="mb-1">
          {told.map((l) => (
            <li key={`${l.at} ${l.name} ${l.limit}`} className="mb-1">
              <span className={stateInks[l.state]}>{stateWords[l.state]}</span>{" "}
              {open && (
                <>
                  {l.line === null ? (
                    <span>{l.name}</span>
                  ) : (
                    <button type="button" className="link" onClick={() => l.line !== null && open(l.line)}>
                      {l.name}
                    </button>
                  )}
                  ,{" "}
                </>
              )}
              <span className="font-mono text-sm">{l.limit}</span>:{" "}
              {said ? l.sentence.replace(said, "").trim() : l.sentence}
            </li>
          ))}
        </ul>
      )}
      {kept > 0 && (
        <p className="text-quiet">
          {count(kept)} of {count(held)} {held === 1 ? "limit" : "limits"} {kept === 1 ? "is" : "are"} kept.
        </p>
      )}
      {noted > 0 && (
        <p className="text-quiet">
          {count(noted)} more {noted === 1 ? "is" : "are"} held by a check alone, which times each execution
          and watches each step.
        </p>
      )}
    </>
  );
}
