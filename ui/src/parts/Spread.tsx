import { type ReactNode, useEffect, useRef, useState } from "react";

const least = 0.3;
const most = 0.7;

/** Two pages with a fold between them. The fold can be dragged or moved with the arrow keys, and is remembered. */
export function Spread({
  name,
  left,
  right,
  start = 0.54,
}: {
  name: string;
  left: ReactNode;
  right: ReactNode;
  start?: number;
}) {
  const key = `fold:${name}`;
  const [share, setShare] = useState(() => Number(localStorage.getItem(key)) || start);
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => localStorage.setItem(key, String(share)), [key, share]);
  const move = (to: number) => setShare(Math.min(most, Math.max(least, to)));
  const drag = (x: number) => {
    const box = frame.current?.getBoundingClientRect();
    if (box) {
      move((x - box.left) / box.width);
    }
  };
  return (
    <div ref={frame} className="spread flex min-h-0 flex-1">
      <div
        className="leaf w-(--share) min-w-0 overflow-hidden"
        style={{ "--share": `${share * 100}%` } as React.CSSProperties}
      >
        {left}
      </div>
      <div
        role="separator"
        aria-orientation="vertical"
        aria-label="Fold between the pages"
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={least * 100}
        aria-valuemax={most * 100}
        tabIndex={0}
        className="fold w-[7px] shrink-0 cursor-col-resize border-x border-rule bg-inset hover:bg-chosen"
        onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
        onPointerMove={(e) => e.buttons === 1 && drag(e.clientX)}
        onKeyDown={(e) => {
          if (e.key === "ArrowLeft" || e.key === "ArrowRight") {
            move(share + (e.key === "ArrowLeft" ? -0.02 : 0.02));
            e.preventDefault();
          }
        }}
      />
      <div className="leaf second min-w-0 flex-1 overflow-hidden">{right}</div>
    </div>
  );
}

/** A page of the spread: its head stays, its body scrolls. */
export function Page({
  head,
  children,
  foot,
  label,
}: {
  head?: ReactNode;
  children: ReactNode;
  foot?: ReactNode;
  label: string;
}) {
  return (
    <section aria-label={label} className="flex h-full flex-col">
      {head && <div className="shrink-0 px-5 pt-3 pb-2">{head}</div>}
      <div
        className="min-h-0 flex-1 relative overflow-y-auto px-5 pb-4"
        tabIndex={0}
        role="group"
        aria-label={label}
      >
        {children}
      </div>
      {foot && <div className="shrink-0 px-5 pb-2">{foot}</div>}
    </section>
  );
}
