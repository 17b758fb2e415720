import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useContents, useDeleteBook } from "../api/book";
import { count } from "../format/figures";
import { Ask } from "../parts/Ask";

/** Deletes a book with all that belongs to it, after naming that. */
export function DeleteBook({ id, name, subject }: { id: number; name: string; subject: string | null }) {
  const [asked, setAsked] = useState(false);
  const contents = useContents(id, asked);
  const gone = useDeleteBook(id);
  const navigate = useNavigate();
  const c = contents.data;
  const parts: [number, string, string][] = c
    ? [
        [c.trials, "trial", "trials"],
        [c.changes, "change", "changes"],
        [c.statements, "statement of its daybook", "statements of its daybook"],
        [c.files, "capture", "captures"],
        [c.deployments, "deployment", "deployments"],
        [c.watches, "watch", "watches"],
        [c.notes, "note", "notes"],
        [c.scripts, "run of a script", "runs of scripts"],
        [c.standingPlans, "standing plan", "standing plans"],
      ]
    : [];
  const goes = parts.filter(([n]) => n > 0).map(([n, one, many]) => `${count(n)} ${n === 1 ? one : many}`);
  return (
    <Ask
      press="delete this book"
      title={`Delete the book ${name}?`}
      doing="Delete the book"
      error={contents.error ?? gone.error}
      pending={gone.isPending || contents.isPending}
      onOpen={() => setAsked(true)}
      act={(done) =>
        gone.mutate(undefined, {
          onSuccess: () => {
            done();
            navigate({ to: "/" });
          },
        })
      }
    >
      {c
        ? `With it go ${goes.length > 0 ? `${goes.join(", ")}, and` : ""} its workload.`
        : "Looking what goes with it."}
      {subject ? ` The database itself, ${subject}, is not touched.` : ""} There is no way back.
    </Ask>
  );
}
