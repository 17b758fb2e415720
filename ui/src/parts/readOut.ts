import { useState } from "react";

/** Which of a picture's points is read out: the one under the pointer, or the one that arrow keys went to. */
export function useReadOut(count: number) {
  const [at, setAt] = useState<number | null>(null);
  const here = at === null || count === 0 ? null : Math.min(at, count - 1);
  const onKeyDown = (e: React.KeyboardEvent) => {
    const steps: Record<string, number> = {
      ArrowLeft: -1,
      ArrowRight: 1,
      PageUp: -24,
      PageDown: 24,
      Home: -count,
      End: count,
    };
    const by = steps[e.key];
    if (by !== undefined && count > 0) {
      e.preventDefault();
      setAt(Math.min(count - 1, Math.max(0, (here ?? (by > 0 ? -1 : count)) + by)));
    }
  };
  return {
    at: here,
    setAt,
    props: { onKeyDown, onBlur: () => setAt(null), onPointerLeave: () => setAt(null) },
  };
}

/** The point whose time is nearest before or at another; -1 where there is none. */
export function pointAt(times: number[], time: number): number {
  let low = 0;
  let high = times.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((times[middle] ?? 0) <= time) {
      low = middle + 1;
    } else {
      high = middle;
    }
  }
  return low - 1;
}
