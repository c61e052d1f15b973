import { describe, expect, it } from "vitest";

import { grouped, money } from "./money";

describe("amounts in words", () => {
  // Source: CLDR, through the browser's own Intl (ICU), for as many digits as it can tell exactly.
  it.each(["0", "7.50", "999.99", "1000", "12345.678", "1234567.89", "99999999.99", "9999999999"])(
    "sets thousands of %s apart as CLDR does",
    (text) => {
      const digits = text.split(".")[1]?.length ?? 0;
      const shown = new Intl.NumberFormat("en", {
        minimumFractionDigits: digits,
        maximumFractionDigits: digits,
      }).format(Number(text));
      expect(grouped(text)).toBe(shown);
    },
  );

  it("carries the currency, and a minus one can see", () => {
    expect(money("EUR", "1234.50")).toBe("EUR 1,234.50");
    expect(grouped("-1234.50")).toBe("−1,234.50");
    expect(grouped("-4.80")).toBe("−4.80");
  });
});
