import { describe, expect, it } from "vitest";
import { bytes, count, elapsed, percent, ratio, three } from "./figures";

describe("figures", () => {
  it("shows three significant digits and thin spaces", () => {
    expect([three(0.004937), three(41.23), three(999.6), three(9.999), three(1234567)]).toEqual([
      "0.00494",
      "41.2",
      "1\u202F000",
      "10.0",
      "1\u202F234\u202F567",
    ]);
  });

  // Common practice, no source: 2,000 us against 500 us is "4.00x cheaper".
  it("tells a ratio in words", () => {
    expect([ratio(500 / 2000), ratio(1.314), ratio(1.0004)]).toEqual([
      "4.00x cheaper",
      "1.31x dearer",
      "about the same",
    ]);
  });

  // Common practice, no source: 14.7 s against 0.01 s is 99.93 % less, never 100 %.
  it("never rounds a part up to the whole or down to nothing", () => {
    expect([percent(1 - 0.01 / 14.7), percent(0.9999999), percent(0.00002), percent(0.426)]).toEqual([
      "99.93 %",
      "99.99999 %",
      "< 0.1 %",
      "42.6 %",
    ]);
  });

  it("names sizes, counts and spans of time", () => {
    expect([bytes(142_999_552), count(250000), elapsed(185)]).toEqual([
      "136 MiB",
      "250\u202F000",
      "3 min 05 s",
    ]);
  });
});
