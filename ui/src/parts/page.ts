import { useEffect, useRef } from "react";

/** What the window is called while a page is shown: its own words first, for a tab shows no more. */
export function useTitle(title: string | undefined) {
  useEffect(() => {
    document.title = title ? `${title} - Swift Ledger` : "Swift Ledger";
  }, [title]);
}

/** How long a page may take to have a heading, in frames. */
const patience = 60;

/** Moves the focus to the heading of a page that has just come, where the link that led to it is gone. The first page is read from its beginning. */
export function useFocusOnArrival(page: string) {
  const from = useRef(page);
  useEffect(() => {
    if (from.current === page) {
      return;
    }
    from.current = page;
    let left = patience;
    let next = 0;
    const seek = () => {
      const heading = document.querySelector<HTMLElement>("main h1");
      if (document.activeElement !== null && document.activeElement !== document.body) {
        return;
      }
      if (heading) {
        heading.tabIndex = -1;
        heading.focus({ preventScroll: true });
      } else if (left-- > 0) {
        next = requestAnimationFrame(seek);
      }
    };
    next = requestAnimationFrame(seek);
    return () => cancelAnimationFrame(next);
  }, [page]);
}
