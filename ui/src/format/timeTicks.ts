import { clock } from "./figures";

const hour = 3_600_000;
const day = 24 * hour;

/** How much room a label wants, in pixels. */
const labelled = 60;

/** What lies between two of at most fourteen round times, fewer where there is no room: days, hours, minutes or seconds. */
export function tickStepFor(start: number, end: number, width: number): number {
  const most = Math.max(2, Math.min(14, Math.floor(width / labelled)));
  const minute = hour / 60;
  const second = 1000;
  const steps = [
    5 * second,
    10 * second,
    30 * second,
    minute,
    2 * minute,
    5 * minute,
    15 * minute,
    hour,
    2 * hour,
    6 * hour,
    12 * hour,
    day,
    2 * day,
    7 * day,
    30 * day,
  ];
  return steps.find((s) => (end - start) / s <= most) ?? 365 * day;
}

export function ticksBetween(start: number, end: number, step: number): number[] {
  const ticks: number[] = [];
  const zone = zoneAt(start);
  for (let t = Math.ceil((start - zone) / step) * step + zone; t < end; t += step) {
    ticks.push(t);
  }
  return ticks;
}

/** What a clock there and then is behind UTC, in milliseconds. */
const zoneAt = (at: number) => new Date(at).getTimezoneOffset() * 60_000;

/** A tick by the reader's own clock, as everywhere. */
export function labelOf(at: number, step: number): string {
  const iso = new Date(at).toISOString();
  return (at - zoneAt(at)) % day === 0
    ? new Date(at).toLocaleDateString("en-GB", { day: "numeric", month: "short" })
    : clock(iso).slice(0, step < 60_000 ? 8 : 5);
}
