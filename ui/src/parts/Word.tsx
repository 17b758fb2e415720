import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";

/** A word of our own, one step from what it means. */
export function Word({ id, children }: { id: string; children: ReactNode }) {
  return (
    <Link
      to="/glossary"
      hash={id}
      className="underline decoration-dotted decoration-1 underline-offset-2"
      title="What this means"
    >
      {children}
    </Link>
  );
}
