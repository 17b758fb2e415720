import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import { Failure } from "./Notice";
import { useTitle } from "./page";
import { Top } from "./Top";

/** What every view stands in: the line that says where one is, and below it the view, or why it is not there. */
export function Frame({
  at,
  title,
  of,
  reading,
  children,
}: {
  at?: ReactNode;
  /** What the window is called; nothing while that is not known. */
  title?: string;
  /** What the view shows, and what is said while it is read. */
  of?: { error: Error | null; isPending: boolean; refetch: () => unknown };
  reading?: string;
  children?: ReactNode;
}) {
  useTitle(title);
  return (
    <>
      <Top>{at}</Top>
      <main id="content" tabIndex={-1} className="flex min-h-0 flex-1 flex-col">
        {of?.error && <Failure error={of.error} retry={() => of.refetch()} />}
        {reading && of?.isPending && <p className="px-5 py-8 text-quiet">{reading}</p>}
        {children}
      </main>
    </>
  );
}

/** The way back to a book. */
export function BookLink({ id, name }: { id: number | string; name?: string }) {
  return (
    <Link className="link" to="/books/$bookId" params={{ bookId: String(id) }} search={{}}>
      {name ?? "Book"}
    </Link>
  );
}

/** The way back to a book's daybook. */
export function DaybookLink({ id }: { id: number | string }) {
  return (
    <Link className="link" to="/books/$bookId/daybook" params={{ bookId: String(id) }} search={{}}>
      Daybook
    </Link>
  );
}
