import { describe, expect, it } from "vitest";

import { everyWords, LENGTHS, lengthWords, RHYTHMS } from "./durations";

describe("durations in words", () => {
  it.each([
    ["P1M", "month", "1 month"],
    ["P3M", "3 months", "3 months"],
    ["P1Y", "year", "1 year"],
    ["P2W", "2 weeks", "2 weeks"],
    ["P14D", "14 days", "14 days"],
    ["P1Y6M", "P1Y6M", "P1Y6M"],
    ["soon", "soon", "soon"],
  ])("%s is every %s, or %s long", (text, every, length) => {
    expect(everyWords(text)).toBe(every);
    expect(lengthWords(text)).toBe(length);
  });

  it("offers only what it can say", () => {
    for (const text of [...RHYTHMS, ...LENGTHS]) expect(everyWords(text)).not.toBe(text);
  });
});
