import { useRef } from "react";
import type { Proposal, ProposalSearch } from "../api/proposals";
import { percent, three } from "../format/figures";
import { Beam, inkOf } from "../parts/Mark";
import { useOneStop } from "../parts/oneStop";
import { change, fateOf, grouped, lessWork } from "./words";

/** The proposals as an account: what each is expected to bring, what its trial told, and what all of the set bring together. */
export function Account({
  page,
  chosen,
  choose,
}: {
  page: ProposalSearch;
  chosen: number | undefined;
  choose: (number: number) => void;
}) {
  const body = useRef<HTMLTableElement>(null);
  useOneStop(body);
  return (
    <table className="ruled" ref={body}>
      <caption className="sr-only">
        Proposals with what they are expected to bring and what was measured; arrow keys go from one to the
        next.
      </caption>
      <thead>
        <tr>
          <th scope="col">proposal</th>
          <th scope="col" className="num roomy">
            work, expected
          </th>
          <th scope="col" className="num">
            bill, s a day
          </th>
          <th scope="col">
            <span className="sr-only">what became of it</span>
          </th>
        </tr>
      </thead>
      {grouped(page).map((g) => (
        <tbody key={g.title}>
          <tr className="border-0!">
            <th scope="rowgroup" colSpan={4} className="pt-3! text-ink!">
              {g.title}
            </th>
          </tr>
          {g.proposals.map((p) => (
            <Row key={p.number} p={p} page={page} chosen={p.number === chosen} choose={choose} />
          ))}
          {page.set && g.proposals[0]?.item.fate === "inSet" && <Together page={page} />}
        </tbody>
      ))}
    </table>
  );
}

function Row({
  p,
  page,
  chosen,
  choose,
}: {
  p: Proposal;
  page: ProposalSearch;
  chosen: boolean;
  choose: (number: number) => void;
}) {
  const { item } = p;
  const fate = fateOf(p, page);
  const measuring = page.state === "running" && page.atNumber === p.number;
  return (
    <tr className={chosen ? "bg-chosen" : ""}>
      <td className="w-full">
        <button
          type="button"
          aria-pressed={chosen}
          className="w-full cursor-pointer break-words text-left"
          onClick={() => choose(p.number)}
        >
          {item.title}
        </button>
      </td>
      <td className="num roomy text-quiet italic">{lessWork(p.workLeft)}</td>
      <td className="num">{item.measured && change(item.measured.billBefore, item.measured.billAfter)}</td>
      <td className="text-sm sm:whitespace-nowrap">
        {measuring ? (
          <span className="font-semibold">being measured</span>
        ) : (
          <span className={inkOf(fate.verdict)}>
            {fate.verdict && <Beam verdict={fate.verdict} />}
            {fate.text}
          </span>
        )}
      </td>
    </tr>
  );
}

/** The last trial's line: what a day costs with all of the set, against what it costs now. */
function Together({ page: { set } }: { page: ProposalSearch }) {
  if (!set) {
    return null;
  }
  const told = set.billBefore > 0;
  return (
    <tr className="total font-semibold">
      <th scope="row" className="text-ink!">
        all together
        {told && (
          <span className="font-normal text-quiet">
            {" "}
            {three(set.billBefore)} to {three(set.billAfter)} s a day
          </span>
        )}
      </th>
      <td className="roomy" />
      <td className="num">{told && change(set.billBefore, set.billAfter)}</td>
      <td className="text-sm sm:whitespace-nowrap">
        {told && set.billAfter < set.billBefore && `${percent(1 - set.billAfter / set.billBefore)} less`}
      </td>
    </tr>
  );
}
