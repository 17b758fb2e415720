import { Link } from "@tanstack/react-router";
import { type ComponentType, lazy, type ReactNode, Suspense, useEffect, useState } from "react";
import { openEvent } from "./keys";

// What opens over a page comes when it is first asked for: a first page is light.
const Palette = lazy(() => import("./Palette").then((m) => ({ default: m.Palette })));
const KeyList = lazy(() => import("./KeyList").then((m) => ({ default: m.KeyList })));

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
      <Suspense>
        <Asked open={paletteOpen} onOpenChange={setPaletteOpen} of={Palette} />
        <Asked open={keysOpen} onOpenChange={setKeysOpen} of={KeyList} />
      </Suspense>
    </header>
  );
}

type Opening = { open: boolean; onOpenChange: (open: boolean) => void };

/** What opens, from its first opening on: it closes as itself, and gives the focus back. */
function Asked({ of: Of, ...opening }: Opening & { of: ComponentType<Opening> }) {
  const [asked, setAsked] = useState(opening.open);
  if (opening.open && !asked) {
    setAsked(true);
  }
  return asked && <Of {...opening} />;
}
