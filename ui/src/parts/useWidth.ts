import { type RefObject, useEffect, useState } from "react";

/** How wide a box is, as it changes. */
export function useWidth(frame: RefObject<HTMLElement | null>, begun: number, least = 0): number {
  const [width, setWidth] = useState(begun);
  useEffect(() => {
    const box = frame.current;
    if (!box || typeof ResizeObserver === "undefined") {
      return;
    }
    const seen = new ResizeObserver(() => setWidth(Math.max(least, box.clientWidth)));
    seen.observe(box);
    return () => seen.disconnect();
  }, [frame, least]);
  return width;
}
