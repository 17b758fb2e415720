/** All numbers that a person reads are made here: three significant digits, thin spaces, never 100 % for a part. */

const THIN = "\u202F";

/** Three significant digits; whole numbers with thin spaces from 1,000 on. */
export function three(value: number): string {
  const size = Math.abs(value);
  if (size === 0 || !Number.isFinite(value)) {
    return size === 0 ? "0" : "";
  }
  const whole = Math.floor(Math.log10(size)) + 1;
  let decimals = Math.min(12, Math.max(0, 3 - whole));
  if (Number(size.toFixed(decimals)) >= 10 ** whole && decimals > 0) {
    decimals -= 1;
  }
  return grouped(value.toFixed(decimals));
}

/** Whole numbers in full. */
export function count(value: number): string {
  return grouped(Math.round(value).toString());
}

function grouped(digits: string): string {
  const [whole = "", rest] = digits.split(".");
  const spaced = whole.replace(/\B(?=(\d{3})+$)/g, THIN);
  return rest === undefined ? spaced : `${spaced}.${rest}`;
}

/** after / before as "12.4x cheaper" or "1.31x dearer". */
export function ratio(value: number): string {
  const factor = value >= 1 ? value : 1 / value;
  return factor < 1.005 ? "about the same" : `${three(factor)}x ${value > 1 ? "dearer" : "cheaper"}`;
}

/** The same, for a narrow column. */
export function shortRatio(value: number): string {
  const factor = value >= 1 ? value : 1 / value;
  return factor < 1.005 ? "same" : `${three(factor)}x ${value > 1 ? "dearer" : "cheaper"}`;
}

/** A part of a whole: as many digits as keep it under 100 % and above 0. */
export function percent(fraction: number): string {
  if (fraction === 0 || fraction === 1) {
    return fraction === 0 ? "0 %" : "100 %";
  }
  if (fraction < 0.001) {
    return "< 0.1 %";
  }
  const part = fraction * 100;
  const missing = 100 - part;
  const decimals = Math.min(
    10,
    Math.max(part < 10 ? 2 : 1, missing < 1 ? Math.ceil(-Math.log10(missing) - 1e-6) : 0),
  );
  const rounded = Number(part.toFixed(decimals));
  return `${(rounded >= 100 ? 100 - 10 ** -decimals : rounded).toFixed(decimals)} %`;
}

export function bytes(value: number): string {
  const units = ["bytes", "KiB", "MiB", "GiB", "TiB"];
  let size = value;
  let unit = 0;
  while (size >= 1024 && unit < units.length - 1) {
    size /= 1024;
    unit += 1;
  }
  return `${unit === 0 ? count(size) : three(size)} ${units[unit]}`;
}

/** Seconds as "48 s" or "3 min 05 s". */
export function elapsed(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  return whole < 60 ? `${whole} s` : `${Math.floor(whole / 60)} min ${String(whole % 60).padStart(2, "0")} s`;
}

/** Milliseconds in the unit that suits them. */
export function duration(ms: number): string {
  return ms < 1 ? `${three(ms * 1000)} us` : ms < 1000 ? `${three(ms)} ms` : `${three(ms / 1000)} s`;
}

/** A moment in the reader's own time zone, to the minute. */
export function moment(iso: string): string {
  const at = new Date(iso);
  const two = (n: number) => String(n).padStart(2, "0");
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`;
}

/** The moment, with its seconds where it has some. */
export function exactly(iso: string): string {
  const seconds = new Date(iso).getSeconds();
  return seconds === 0 ? moment(iso) : `${moment(iso)}:${String(seconds).padStart(2, "0")}`;
}

/** The time of day in the reader's own time zone, to the second. */
export function clock(iso: string): string {
  const at = new Date(iso);
  return [at.getHours(), at.getMinutes(), at.getSeconds()].map((n) => String(n).padStart(2, "0")).join(":");
}
