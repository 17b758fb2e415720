/** Round numbers from 0 to at most a largest one: steps of 1, 2 or 5 times a power of ten, at most `most` of them. */
export function roundTicks(largest: number, most = 4): number[] {
  if (!(largest > 0)) {
    return [0];
  }
  const rough = largest / most;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => largest / s <= most) ?? 10 * power;
  return Array.from({ length: Math.floor(largest / step + 1e-9) + 1 }, (_, i) =>
    Number((i * step).toPrecision(12)),
  );
}

/** Round numbers of a logarithmic axis: powers of ten, and where there are fewer than two, 2 and 5 times them. */
export function logTicks(low: number, high: number): number[] {
  const found = (of: number[]) => {
    const ticks: number[] = [];
    for (let e = Math.floor(Math.log10(low)); e <= Math.ceil(Math.log10(high)); e++) {
      ticks.push(
        ...of.map((m) => Number((m * 10 ** e).toPrecision(12))).filter((t) => t >= low && t <= high),
      );
    }
    return ticks;
  };
  const tenths = Array.from({ length: 90 }, (_, i) => 1 + i / 10);
  for (const of of [[1], [1, 2, 5], [1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8], tenths]) {
    const ticks = found(of);
    if (ticks.length >= 2) {
      return ticks;
    }
  }
  return [low, high];
}
