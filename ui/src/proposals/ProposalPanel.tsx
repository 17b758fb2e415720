import { type Proposal, type ProposalSearch, useTryProposals } from "../api/proposals";
import { Copy } from "../parts/Copy";
import { Beam, inkOf } from "../parts/Mark";
import { Wrong } from "../parts/Notice";
import { Page } from "../parts/Spread";
import { Sql } from "../parts/Sql";
import { Brings, Fact } from "./Brings";
import { ProofOf } from "./ProofOf";
import { TurnDown } from "./TurnDown";
import { fateOf, isOtherWords } from "./words";

/** One proposal: why it is made, what applies it and takes it back, what it brings, who pays, and why it is safe. */
export function ProposalPanel({
  book,
  page,
  p,
  going,
}: {
  book: number;
  page: ProposalSearch;
  p: Proposal;
  going: boolean;
}) {
  const attempt = useTryProposals(book, page.id);
  const { item } = p;
  const fate = fateOf(p, page);
  const mayBeTried =
    ["open", "notTold", "beyondLimit", "failed"].includes(item.fate) && item.statements.length > 0;
  return (
    <Page label="Proposal" head={<h2 className="head break-words">{item.title}</h2>}>
      <p>
        <span className={`font-semibold ${inkOf(fate.verdict)}`}>
          {fate.verdict && <Beam verdict={fate.verdict} />}
          {fate.text}
        </span>
        {item.message && <span className="text-quiet">. {item.message}</span>}
      </p>
      <p className="mt-1">{item.reason}</p>
      <div className="mt-3 flex flex-wrap gap-2">
        {mayBeTried && (
          <button
            type="button"
            className="press main"
            disabled={going || attempt.isPending}
            onClick={() => attempt.mutate([p.number])}
          >
            {item.measured ? "Try it again" : "Try it"}
          </button>
        )}
        <TurnDown key={p.number} book={book} search={page.id} p={p} going={going} />
      </div>
      <Wrong error={attempt.error} />
      {item.fate !== "notTheSame" && <Brings p={p} />}
      {item.proof && <ProofOf proof={item.proof} />}
      <h3 className="section flex items-baseline justify-between">
        {item.kind === "unit"
          ? "The one statement"
          : item.kind === "rewrite"
            ? "The other words"
            : "What applies it"}
        <Copy what="what applies it" press="copy" text={item.sql} />
      </h3>
      <Sql text={item.sql} label="SQL that applies it" />
      {item.undo && (
        <>
          <h3 className="section flex items-baseline justify-between">
            {isOtherWords(item.kind) ? "As it is now" : "What takes it back"}
            <Copy what="what takes it back" press="copy" text={item.undo} />
          </h3>
          <Sql text={item.undo} label="SQL that takes it back" />
        </>
      )}
      <h3 className="section">Statements</h3>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-sm">
        {p.served.length > 0 && item.kind !== "setting" && <Fact name="made for">{p.served.join(", ")}</Fact>}
        <Fact name="measured with it">{item.statements.join(", ") || "none"}</Fact>
      </dl>
    </Page>
  );
}
