import { useState } from "react";
import { type Proposal, useTurnDown } from "../api/proposals";
import { Author, useAuthor } from "../ledger/Author";
import { Wrong } from "../parts/Notice";

/** Turning a proposal down, by whom and why; or taking that back. */
export function TurnDown({
  book,
  search,
  p,
  going,
}: {
  book: number;
  search: number;
  p: Proposal;
  going: boolean;
}) {
  const [open, setOpen] = useState(false);
  const [author, setAuthor] = useAuthor();
  const [why, setWhy] = useState("");
  const { down, back } = useTurnDown(book, search, p.number);
  if (p.item.fate === "turnedDown") {
    return (
      <div>
        <button
          type="button"
          className="press"
          disabled={back.isPending || going}
          onClick={() => back.mutate()}
        >
          Take that back
        </button>
        <Wrong error={back.error} />
      </div>
    );
  }
  if (!open) {
    return (
      <button type="button" className="press" disabled={going} onClick={() => setOpen(true)}>
        Turn it down
      </button>
    );
  }
  return (
    <form
      className="mt-2 flex w-full flex-col gap-2 border-rule border-l-2 pl-3"
      onSubmit={(e) => {
        e.preventDefault();
        down.mutate({ author, why }, { onSuccess: () => setOpen(false) });
      }}
    >
      <p className="text-quiet">
        It is neither tried nor in the set from now on, and comes back when a statement that it serves reads
        otherwise, or its table has half as many rows more, or fewer.
      </p>
      <Author author={author} set={setAuthor} />
      <label className="flex flex-col">
        Why
        <textarea
          className="field"
          rows={2}
          value={why}
          onChange={(e) => setWhy(e.target.value)}
          required
          // biome-ignore lint/a11y/noAutofocus: whoever opened the form writes next.
          autoFocus
        />
      </label>
      <span className="flex gap-2">
        <button type="submit" className="press main" disabled={down.isPending}>
          Turn it down
        </button>
        <button type="button" className="press" onClick={() => setOpen(false)}>
          Keep it
        </button>
      </span>
      <Wrong error={down.error} />
    </form>
  );
}
