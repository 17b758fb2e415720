import { Link } from "@tanstack/react-router";
import { Dialog } from "radix-ui";
import { type ReactNode, useEffect, useState } from "react";
import { openEvent } from "./keys";
import { Palette } from "./Palette";

const themes = ["system", "light", "dark"] as const;

/** The one line above the spread: where one is, and what helps everywhere. */
export function Top({ children }: { children?: ReactNode }) {
  const [theme, setTheme] = useState(() => localStorage.getItem("theme") ?? "system");
  const [keysOpen, setKeysOpen] = useState(false);
  const [paletteOpen, setPaletteOpen] = useState(false);
  useEffect(() => {
    localStorage.setItem("theme", theme);
    if (theme === "system") {
      delete document.documentElement.dataset.theme;
    } else {
      document.documentElement.dataset.theme = theme;
    }
  }, [theme]);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const typing = (e.target as HTMLElement).closest("input, textarea, select, [contenteditable]");
      if (e.key === "k" && (e.ctrlKey || e.metaKey)) {
        e.preventDefault();
        setPaletteOpen(true);
      } else if (!typing && e.key === "?") {
        setKeysOpen(true);
      }
    };
    const onOpen = () => setPaletteOpen(true);
    window.addEventListener("keydown", onKey);
    window.addEventListener(openEvent, onOpen);
    return () => {
      window.removeEventListener("keydown", onKey);
      window.removeEventListener(openEvent, onOpen);
    };
  }, []);
  return (
    <header className="flex shrink-0 items-baseline gap-4 border-b border-ink px-5 py-1.5">
      <Link to="/" className="font-bold">
        Swift Ledger
      </Link>
      <nav aria-label="Where you are" className="min-w-0 flex-1 truncate text-quiet">
        {children}
      </nav>
      <button type="button" className="link text-quiet" onClick={() => setPaletteOpen(true)}>
        go to or do
      </button>
      <button type="button" className="link text-quiet" onClick={() => setKeysOpen(true)}>
        keys
      </button>
      <button
        type="button"
        className="link text-quiet"
        onClick={() => setTheme(themes[(themes.indexOf(theme as "system") + 1) % 3] ?? "system")}
      >
        <span className="sr-only">Appearance: </span>
        {theme === "system" ? "as the system" : theme}
      </button>
      <Palette open={paletteOpen} onOpenChange={setPaletteOpen} />
      <KeyList open={keysOpen} onOpenChange={setKeysOpen} />
    </header>
  );
}

const keyList: [string, string][] = [
  ["?", "this list"],
  ["Ctrl+K", "go to a book, trial or change, or do something"],
  ["Up, Down, Home, End", "move along a list"],
  ["Enter", "open what is selected"],
  ["Escape", "close the page on the right"],
  ["/", "search in a list"],
  ["Left, Right", "move the fold, when it has the focus"],
  ["Ctrl+Enter", "start the trial that is being written"],
  ["Tab, Shift+Tab", "to the next or previous control, also out of an editor"],
];

function KeyList({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-24 left-1/2 w-[34rem] -translate-x-1/2 border border-strong bg-paper p-6"
        >
          <Dialog.Title className="head mb-2">Keys</Dialog.Title>
          <table className="ruled">
            <tbody>
              {keyList.map(([key, what]) => (
                <tr key={key}>
                  <th scope="row" className="w-48">
                    {key}
                  </th>
                  <td>{what}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <Dialog.Close className="press mt-4">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
