/** Where a course is read, with what is read beside it, on the side that has room. */
export function ReadMark(p: {
  from: number;
  to: number;
  top: number;
  bottom: number;
  y: number;
  width: number;
  told: string;
}) {
  const middle = (p.from + p.to) / 2;
  const right = p.from > p.width / 2;
  return (
    <g>
      <line x1={middle} x2={middle} y1={p.top} y2={p.bottom} className="stroke-focus" />
      <text
        x={right ? p.from - 6 : p.to + 6}
        y={p.y}
        textAnchor={right ? "end" : "start"}
        className="fill-ink stroke-paper text-xs font-semibold"
        strokeWidth={4}
        paintOrder="stroke"
      >
        {p.told}
      </text>
    </g>
  );
}
