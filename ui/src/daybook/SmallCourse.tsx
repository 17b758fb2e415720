/** The course of a pattern's time in a span, as small steps; the scale is its own. */
export function SmallCourse({ values }: { values: number[] }) {
  const most = Math.max(...values, 1e-12);
  const width = 78;
  const height = 20;
  const step = width / Math.max(1, values.length);
  const path = values
    .map(
      (v, i) =>
        `${i === 0 ? `M0 ${height}` : ""}V${(height - (v / most) * (height - 1)).toFixed(1)}H${((i + 1) * step).toFixed(1)}`,
    )
    .join("");
  return (
    <svg width={width} height={height} aria-hidden="true" className="block">
      <path d={`${path}V${height}Z`} className="fill-band stroke-quiet" strokeWidth={1} />
    </svg>
  );
}
