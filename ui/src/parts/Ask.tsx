import { AlertDialog } from "radix-ui";
import { type ReactNode, useState } from "react";
import { Wrong } from "./Notice";

/** A press that takes something away for good: it names what goes, and asks first. */
export function Ask(p: {
  /** What is pressed. */
  press: string;
  title: string;
  /** What goes with it. */
  children: ReactNode;
  /** The word that does it. */
  doing: string;
  error?: Error | null;
  pending?: boolean;
  onOpen?: () => void;
  act: (done: () => void) => void;
  className?: string;
}) {
  const [open, setOpen] = useState(false);
  return (
    <AlertDialog.Root
      open={open}
      onOpenChange={(to) => {
        setOpen(to);
        if (to) {
          p.onOpen?.();
        }
      }}
    >
      <AlertDialog.Trigger className={p.className ?? "link text-quiet"}>{p.press}</AlertDialog.Trigger>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 bg-ink/25" />
        <AlertDialog.Content className="fixed top-24 left-1/2 w-[min(34rem,calc(100vw-1rem))] -translate-x-1/2 border border-strong bg-paper p-6">
          <AlertDialog.Title className="head">{p.title}</AlertDialog.Title>
          <AlertDialog.Description asChild>
            <div className="mt-1">{p.children}</div>
          </AlertDialog.Description>
          <Wrong error={p.error ?? null} />
          <div className="mt-4 flex gap-3">
            <button
              type="button"
              className="press"
              disabled={p.pending}
              onClick={() => p.act(() => setOpen(false))}
            >
              {p.doing}
            </button>
            <AlertDialog.Cancel className="press main">Keep it</AlertDialog.Cancel>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}
