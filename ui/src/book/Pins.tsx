import { Link } from "@tanstack/react-router";
import { usePinReplaced, usePins } from "../api/plans";
import { Wrong } from "../parts/Notice";
import { Sql } from "../parts/Sql";

/** Statements that are held to a plan for the time being: each is a debt that somebody still has to pay. */
export function Pins({ book }: { book: number }) {
  const pins = usePins(book);
  const replaced = usePinReplaced(book);
  if (!pins.data || pins.data.length === 0) {
    return <Wrong error={pins.error} />;
  }
  return (
    <>
      <h3 className="section">
        Temporary measures{" "}
        <span className="font-normal text-quiet">statements held to a plan until a real fix is there</span>
      </h3>
      <ul>
        {pins.data.map((p) => (
          <li key={p.id} className="border-t border-rule py-1 first:border-0">
            <p className="flex flex-wrap items-baseline gap-x-3">
              <strong>{p.statement}</strong>
              <span className="text-quiet">
                since {p.pinnedAt.slice(0, 10)},{" "}
                <Link className="link" to="/trials/$trialId" params={{ trialId: String(p.trialId) }}>
                  trial {p.trialId}
                </Link>
                {p.replacedAt && `; replaced ${p.replacedAt.slice(0, 10)}`}
              </span>
              {!p.replacedAt && (
                <button type="button" className="link ml-auto" onClick={() => replaced.mutate(p.id)}>
                  a real fix is there
                </button>
              )}
            </p>
            {p.warning && <p className="border-l-2 border-dearer pl-2">{p.warning}</p>}
            {!p.replacedAt && <Sql text={p.sql} label={`Pinned ${p.statement}`} />}
          </li>
        ))}
      </ul>
      <Wrong error={replaced.error} />
    </>
  );
}
