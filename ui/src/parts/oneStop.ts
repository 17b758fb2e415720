import { type RefObject, useEffect } from "react";

const inRow = "a[href], button:not([disabled]), input:not([disabled])";

/**
 * Makes a list one stop of the Tab key: Up, Down, Home and End go from row to row, Left and Right along what a row holds. Where the
 * focus was last, it comes back to; before that, to the row that is chosen, or to the first. A list that draws only the rows in view
 * goes up and down by itself.
 */
export function useOneStop(list: RefObject<HTMLElement | null>, row = "tr, li", upAndDown = true) {
  useEffect(() => {
    const box = list.current;
    if (!box) {
      return;
    }
    const all = [...box.querySelectorAll<HTMLElement>(inRow)];
    const stop =
      all.find((e) => e.tabIndex === 0 && e.dataset.stop === "here") ??
      all.find(
        (e) => e.getAttribute("aria-current") === "true" || e.getAttribute("aria-pressed") === "true",
      ) ??
      all[0];
    mark(all, stop);
  });
  useEffect(() => {
    const box = list.current;
    if (!box) {
      return;
    }
    const onKey = (e: KeyboardEvent) => {
      const from = e.target as HTMLElement;
      if (e.defaultPrevented || e.altKey || e.ctrlKey || e.metaKey || !from.matches(inRow)) {
        return;
      }
      const rows = [...box.querySelectorAll<HTMLElement>(row)].filter((r) => r.querySelector(inRow));
      const at = rows.findIndex((r) => r.contains(from));
      const mine = [...(rows[at]?.querySelectorAll<HTMLElement>(inRow) ?? [])];
      const along = mine.indexOf(from);
      const rowOf: Record<string, number> = {
        ArrowDown: at + 1,
        ArrowUp: at - 1,
        Home: 0,
        End: rows.length - 1,
      };
      const to = upAndDown ? rowOf[e.key] : undefined;
      const next =
        to !== undefined
          ? sameplace(rows[Math.min(rows.length - 1, Math.max(0, to))], along)
          : e.key === "ArrowLeft"
            ? mine[along - 1]
            : e.key === "ArrowRight"
              ? mine[along + 1]
              : undefined;
      if (next && at >= 0) {
        e.preventDefault();
        next.focus();
      }
    };
    const onFocus = (e: FocusEvent) => {
      const to = e.target as HTMLElement;
      if (to.matches(inRow)) {
        mark([...box.querySelectorAll<HTMLElement>(inRow)], to);
      }
    };
    box.addEventListener("keydown", onKey);
    box.addEventListener("focusin", onFocus);
    return () => {
      box.removeEventListener("keydown", onKey);
      box.removeEventListener("focusin", onFocus);
    };
  }, [list, row, upAndDown]);
}

/** What stands in a row where another one was left, or the last before it. */
function sameplace(row: HTMLElement | undefined, along: number): HTMLElement | undefined {
  const all = [...(row?.querySelectorAll<HTMLElement>(inRow) ?? [])];
  return all[Math.min(along, all.length - 1)];
}

function mark(all: HTMLElement[], stop: HTMLElement | undefined) {
  for (const e of all) {
    e.tabIndex = e === stop ? 0 : -1;
    if (e === stop) {
      e.dataset.stop = "here";
    } else {
      delete e.dataset.stop;
    }
  }
}
