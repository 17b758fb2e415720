import { useMutation } from "@tanstack/react-query";
import { api, dataOf, Refused, type Schemas } from "../api/client";
import { bytes } from "../format/figures";
import { Problems, Wrong } from "../parts/Notice";
import type { Draft, Sides } from "./useDraft";

type Props = { draft: Draft; set: (part: Partial<Draft>) => void };
type Offered = Schemas["SidesOffered"];

const words: Record<Sides, string> = {
  copies: "two private copies",
  dumped: "two copies of a dump",
  asItIs: "the database as it is",
  rolledBack: "a transaction that is rolled back",
  pair: "two databases that are there",
  inPlace: "this database, which keeps the change",
};

type Step = {
  /** Whether the way to two sides is being chosen: a step of its own. */
  choosing: boolean;
  setChoosing: (on: boolean) => void;
};

/** Of a database on a server: the password, and how the two sides come about there. */
export function ServerFields({ draft, set, choosing, setChoosing }: Props & Step) {
  const look = useMutation({
    mutationFn: async () =>
      dataOf(
        await api.POST("/api/subjects/look", { body: { subject: draft.subject, password: draft.password } }),
      ),
    onSuccess: (found) => {
      setChoosing(true);
      const first = found.sides.find((s) => s.works);
      if (first && !found.sides.some((s) => s.sides === draft.sides && (s.works || s.elsewhere))) {
        set({ sides: first.sides });
      }
    },
  });
  const found = look.data;
  return (
    <fieldset className="mt-1 text-sm">
      <legend className="sr-only">Server</legend>
      <div className="flex flex-wrap items-baseline gap-3">
        <label className="flex items-baseline gap-1.5">
          password
          <input
            type="password"
            className="field w-44"
            autoComplete="off"
            value={draft.password}
            placeholder="as given before"
            onChange={(e) => set({ password: e.target.value })}
          />
        </label>
        <button type="button" className="press" disabled={look.isPending} onClick={() => look.mutate()}>
          {look.isPending ? "Looking" : "Look at the server"}
        </button>
        {!found && (
          <label className="flex items-baseline gap-1.5">
            sides
            <select
              className="field"
              value={draft.sides}
              onChange={(e) => set({ sides: e.target.value as Sides })}
            >
              {Object.entries(words).map(([value, label]) => (
                <option key={value} value={value}>
                  {label}
                </option>
              ))}
            </select>
          </label>
        )}
        {found && (
          <span className="text-quiet">
            PostgreSQL {found.version.split(" ")[0]}, {bytes(found.bytes)}, as {found.user}
          </span>
        )}
      </div>
      {look.error instanceof Refused ? (
        <Problems problems={look.error.problems} />
      ) : (
        <Wrong error={look.error} />
      )}
      {found && !choosing && (
        <p className="mt-1">
          Sides: <strong>{words[draft.sides]}</strong>{" "}
          <button type="button" className="link" onClick={() => setChoosing(true)}>
            another way
          </button>
        </p>
      )}
      {found && choosing && <Ways found={found} draft={draft} set={set} done={() => setChoosing(false)} />}
      {draft.sides === "inPlace" && (
        <label className="mt-1 flex flex-wrap items-baseline gap-2">
          <span className="text-failed">The change stays. Type the database's name to say that it may:</span>
          <input
            className="field w-44 font-mono"
            autoComplete="off"
            spellCheck={false}
            value={draft.expendable}
            onChange={(e) => set({ expendable: e.target.value })}
          />
        </label>
      )}
      {draft.sides === "dumped" && <DumpFields draft={draft} set={set} />}
      {draft.sides === "pair" && (
        <OtherServer
          word="after side"
          label="Database of the after side"
          placeholder="postgresql://user@host/database"
          draft={draft}
          set={set}
          address="afterSubject"
        />
      )}
    </fieldset>
  );
}

/** How two sides can come about there: the ways that are open first, with what each shows; the rest folded. */
function Ways({ found, draft, set, done }: Props & { found: Schemas["ServerLook"]; done: () => void }) {
  const isOpen = (way: Offered) => way.works || way.elsewhere || (way.withTrust && draft.trustSql);
  // What works on this server as it is comes before what wants another one.
  const ready = found.sides.filter((w) => isOpen(w) && (w.works || w.withTrust));
  const open = [...ready, ...found.sides.filter((w) => isOpen(w) && !ready.includes(w))];
  const closed = found.sides.filter((w) => !isOpen(w));
  const way = (w: Offered) => (
    <Way
      key={w.sides}
      way={w}
      trusted={draft.trustSql}
      chosen={draft.sides === w.sides}
      choose={() => set({ sides: w.sides })}
    />
  );
  return (
    <section aria-label="The way to two sides" className="mt-2">
      <h2 className="head">How the two sides come about</h2>
      <div role="radiogroup" aria-label="Sides" className="mt-1 border-t border-ink">
        {open.map(way)}
        {open.length === 0 && (
          <p className="text-failed">No way is open here yet; below stands what each wants.</p>
        )}
      </div>
      <Trust ways={found.sides} draft={draft} set={set} />
      {closed.length > 0 && (
        <details className="mt-2" open={open.length === 0}>
          <summary className="cursor-pointer text-quiet">
            {closed.length === 1 ? "1 way is" : `${closed.length} ways are`} not open here, and why
          </summary>
          {closed.map(way)}
        </details>
      )}
      {found.notes.map((n) => (
        <p key={n} className="mt-1 text-quiet">
          {n}
        </p>
      ))}
      {open.some((w) => w.sides === draft.sides) && (
        <button type="button" className="press main mt-3" onClick={done}>
          Go on with {words[draft.sides]}
        </button>
      )}
    </section>
  );
}

/** Of copies of a dump: whose rows come along, what the other tables hold, and where the copies stand. */
function DumpFields({ draft, set }: Props) {
  return (
    <div className="mt-1 grid gap-1">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
        <label className="flex items-baseline gap-1.5">
          the copies hold the rows of
          <select
            className="field"
            value={draft.dumpRows}
            onChange={(e) => set({ dumpRows: e.target.value as Draft["dumpRows"] })}
          >
            <option value="all">all tables</option>
            <option value="chosen">these tables</option>
            <option value="none">no table</option>
          </select>
        </label>
        {draft.dumpRows === "chosen" && (
          <input
            className="field min-w-40 flex-1 font-mono"
            aria-label="Tables whose rows come along"
            placeholder="table, schema.table"
            spellCheck={false}
            value={draft.dumpTables}
            onChange={(e) => set({ dumpTables: e.target.value })}
          />
        )}
        {draft.dumpRows !== "all" && (
          <label className="flex items-baseline gap-1.5">
            {draft.dumpRows === "none" ? "made rows" : "made rows in the others"}
            <input
              className="field w-16 text-right"
              inputMode="decimal"
              placeholder="none"
              value={draft.madeRows}
              onChange={(e) => set({ madeRows: e.target.value })}
            />
            for each of the subject's
          </label>
        )}
      </div>
      {draft.dumpRows !== "all" && draft.madeRows.trim() !== "" && (
        <p className="text-quiet">
          Rows are made from the planner's statistics: as many, as skewed, as ordered; each column apart from
          the others.
        </p>
      )}
      <OtherServer
        word="copies on"
        label="Server that holds the copies"
        placeholder="this server, or postgresql://user@host/database"
        draft={draft}
        set={set}
        address="copiesOn"
      />
    </div>
  );
}

function OtherServer(
  p: Props & { word: string; label: string; placeholder: string; address: "afterSubject" | "copiesOn" },
) {
  return (
    <div className="mt-1 flex flex-wrap items-baseline gap-2">
      <span aria-hidden>{p.word}</span>
      <input
        className="field flex-1 font-mono"
        aria-label={p.label}
        placeholder={p.placeholder}
        spellCheck={false}
        value={p.draft[p.address]}
        onChange={(e) => p.set({ [p.address]: e.target.value })}
      />
      <input
        type="password"
        className="field w-44"
        aria-label={`Password: ${p.label}`}
        placeholder="its password"
        autoComplete="off"
        value={p.draft.otherPassword}
        onChange={(e) => p.set({ otherPassword: e.target.value })}
      />
    </div>
  );
}

/** Where only the connection's own rights stand against a way: what to do instead, and the user's word for it. */
function Trust({ ways, draft, set }: Props & { ways: Offered[] }) {
  const held = ways.find((w) => w.withTrust);
  return (
    held && (
      <div className="mt-1">
        <label className="flex items-baseline gap-2">
          <input
            type="checkbox"
            checked={draft.trustSql}
            onChange={(e) =>
              set(
                e.target.checked
                  ? { trustSql: true }
                  : {
                      trustSql: false,
                      sides: ways.find((w) => w.works)?.sides ?? draft.sides,
                    },
              )
            }
          />
          I know every statement here and every function of that database: let them run with these rights
        </label>
        <p className="text-quiet">
          Better, a user that can do nothing else: <code className="font-mono text-sm">{held.grant}</code>
        </p>
      </div>
    )
  );
}

function Way(p: { way: Offered; trusted: boolean; chosen: boolean; choose: () => void }) {
  const { way, chosen, choose } = p;
  const possible = way.works || way.elsewhere || (way.withTrust && p.trusted);
  return (
    <label
      className={`flex items-baseline gap-2 border-b border-rule py-0.5 ${possible ? "" : "text-quiet"}`}
    >
      <input type="radio" name="sides" checked={chosen} disabled={!possible} onChange={choose} />
      <span>
        <strong className={possible ? "" : "font-normal"}>{words[way.sides]}</strong>
        {!possible && " (not here)"}
        {!way.works && way.elsewhere && " (on another server)"}: {possible ? way.shows : ""} {way.lacks}
        {way.grant && !way.withTrust && <code className="block font-mono text-sm">{way.grant}</code>}
      </span>
    </label>
  );
}
