import { type RefObject, useEffect } from "react";

export const openEvent = "swift-ledger:palette";

/** Arrow keys, Home and End on a list of rows; Enter is the rows' own business. */
export function moveAlong(e: React.KeyboardEvent, count: number, at: number, go: (to: number) => void) {
  const steps: Record<string, number> = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: count - 1 };
  const to = steps[e.key];
  if (to !== undefined && count > 0) {
    e.preventDefault();
    go(Math.min(count - 1, Math.max(0, to)));
  }
}

/** "/" puts the focus into a list's search field, unless somebody is typing. */
export function useSearchKey(field: RefObject<HTMLInputElement | null>) {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key === "/" && !(e.target as HTMLElement).closest("input, textarea, select, [contenteditable]")) {
        e.preventDefault();
        field.current?.focus();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [field]);
}
