import { getRouteApi, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { usePreview, usePropose } from "../api/entries";
import { useBook } from "../api/hooks";
import { ratio, three } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { VerdictMark } from "../parts/Mark";
import { EmptyState, Wrong } from "../parts/Notice";
import { Rows } from "../parts/Rows";
import { Page, Spread } from "../parts/Spread";
import { Author, useAuthor } from "./Author";
import { perDay } from "./Entries";
import { PromiseBar } from "./PromiseBar";
import { verdictOf } from "./words";

const route = getRouteApi("/books/$bookId/post");

/** Posting a trial or a rehearsal: who answers for it and why on the left page, what it promises on the right. */
export function PostView() {
  const id = Number(route.useParams().bookId);
  const of = route.useSearch();
  const book = useBook(id);
  const preview = usePreview(id, of);
  return (
    <Frame
      title="Post to the ledger"
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {` / post ${of.trial ? `trial ${of.trial}` : `rehearsal ${of.rehearsal}`}`}
        </>
      }
      of={preview}
      reading="Reading what it promises."
    >
      {preview.data && <Form book={id} of={of} preview={preview.data} />}
    </Frame>
  );
}

type Preview = Schemas["PromisePreview"];

function Form({
  book,
  of,
  preview,
}: {
  book: number;
  of: { trial?: number; rehearsal?: number };
  preview: Preview;
}) {
  const propose = usePropose(book);
  const navigate = useNavigate();
  const [author, setAuthor] = useAuthor();
  const [title, setTitle] = useState(preview.title);
  const [reason, setReason] = useState("");
  const [links, setLinks] = useState("");
  const [accepted, setAccepted] = useState<Record<string, string>>({});
  const dearer = preview.promises.filter((p) => p.direction === "dearer");
  return (
    <Spread
      name="post"
      start={0.42}
      left={
        <Page label="Entry" head={<h1 className="head">Post to the ledger</h1>}>
          {preview.refusal ? (
            <EmptyState title="Nothing to promise">{preview.refusal}</EmptyState>
          ) : (
            <form
              className="flex flex-col gap-3"
              onSubmit={(e) => {
                e.preventDefault();
                propose.mutate(
                  {
                    trial: of.trial ?? null,
                    rehearsal: of.rehearsal ?? null,
                    title,
                    author,
                    reason,
                    links: links.split("\n"),
                    accepted,
                  },
                  {
                    onSuccess: (made) =>
                      navigate({
                        to: "/books/$bookId/entries/$number",
                        params: { bookId: String(book), number: String(made.number) },
                      }),
                  },
                );
              }}
            >
              <p className="text-quiet">
                An entry is never edited and never deleted. Once the change is live, what it promises is held
                against what the daybook sees.
              </p>
              <label className="flex flex-col">
                Title
                <input className="field" value={title} onChange={(e) => setTitle(e.target.value)} required />
              </label>
              <Author author={author} set={setAuthor} />
              <label className="flex flex-col">
                Reason
                <textarea
                  className="field"
                  rows={3}
                  value={reason}
                  onChange={(e) => setReason(e.target.value)}
                />
              </label>
              <label className="flex flex-col">
                Links, one a line
                <textarea
                  className="field"
                  rows={2}
                  value={links}
                  onChange={(e) => setLinks(e.target.value)}
                />
              </label>
              {dearer.map((p) => (
                <label key={p.pattern} className="flex flex-col">
                  <span>
                    <b>{p.statement}</b> gets dearer ({ratio(p.ratio)}): accepted because
                  </span>
                  <input
                    className="field"
                    value={accepted[p.statement] ?? ""}
                    onChange={(e) => setAccepted({ ...accepted, [p.statement]: e.target.value })}
                    required
                  />
                </label>
              ))}
              <button type="submit" className="press main self-start" disabled={propose.isPending}>
                Post it
              </button>
              <Wrong error={propose.error} />
            </form>
          )}
        </Page>
      }
      right={
        <Page label="Promise" head={<h2 className="head">{preview.headline || "What it promises"}</h2>}>
          <Promised preview={preview} />
        </Page>
      }
    />
  );
}

function Promised({ preview }: { preview: Preview }) {
  const reach = Math.min(1e4, Math.max(1.5, ...preview.promises.flatMap((p) => [p.high, 1 / p.low])));
  return (
    <>
      {preview.bill && (
        <p className="mb-2">
          The bill: {three(preview.bill.before)} to {three(preview.bill.after)} database-seconds a day (
          {perDay(preview.bill.changeLow)} to {perDay(preview.bill.changeHigh)}).
        </p>
      )}
      <table className="ruled">
        <thead>
          <tr>
            <th scope="col">statement</th>
            <th scope="col">promised</th>
            <th scope="col" className="num">
              after / before
            </th>
            <th scope="col">
              <span className="sr-only">interval</span>
            </th>
          </tr>
        </thead>
        <Rows>
          {preview.promises.map((p) => (
            <tr key={p.pattern}>
              <td className="w-full">{p.statement}</td>
              <td>
                <VerdictMark verdict={verdictOf(p.direction)} />
              </td>
              <td className="num">
                {ratio(p.ratio)}
                <span className="text-quiet">
                  {" "}
                  ({ratio(p.low)} to {ratio(p.high)})
                </span>
              </td>
              <td>
                <PromiseBar promised={p} reach={reach} width={90} />
              </td>
            </tr>
          ))}
        </Rows>
      </table>
    </>
  );
}
