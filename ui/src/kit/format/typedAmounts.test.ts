import { describe, expect, it } from "vitest";

import { readAmount, readDecimal } from "./typedAmounts";

const read = (text: string, currency = "EUR") => {
  const found = readAmount(text, currency);
  return found === null ? null : "amount" in found ? found.amount : found.either.join(" or ");
};

describe("amounts as people write them", () => {
  // How each country sets thousands and decimals: CLDR, through the browser's own Intl (ICU).
  it.each([
    "nl",
    "de",
    "de-CH",
    "de-AT",
    "fr",
    "fr-CH",
    "it",
    "es",
    "pt",
    "pl",
    "sv",
    "fi",
    "en",
    "en-IN",
    "cs",
  ])("reads what %s writes", (language) => {
    for (const [amount, digits] of [
      [1234567.5, "1234567.50"],
      [18.5, "18.50"],
      [999, "999.00"],
      [0.05, "0.05"],
    ] as const)
      for (const currency of ["EUR", "CHF", "SEK", "PLN", "GBP"])
        for (const style of ["currency", "decimal"] as const) {
          const wanted = { style, currency, minimumFractionDigits: 2 };
          const text = new Intl.NumberFormat(language, wanted).format(amount);
          if (language === "en-IN" && amount > 99_999) continue; // lakhs are set apart by two
          expect([text, read(text, currency)]).toEqual([text, digits]);
        }
  });

  it.each([
    ["18,50", "18.50"],
    ["18.5", "18.5"],
    ["18,", "18"],
    ["18,-", "18"],
    ["€ 18,--", "18"],
    ["18,50 EUR", "18.50"],
    [",50", "0.50"],
    ["007", "7"],
    ["1'234.50", "1234.50"],
    ["1.234.567", "1234567"],
    ["1 234", "1234"],
  ])("takes %s for %s", (text, amount) => expect(read(text)).toBe(amount));

  it("asks where it can be two amounts", () => {
    expect(read("1,234")).toBe("1234 or 1.23");
    expect(read("1.234")).toBe("1234 or 1.23");
    expect(read("1.234", "KWD")).toBe("1234 or 1.234");
    expect(read("1.234", "JPY")).toBe("1234");
    expect(read("1.234,00")).toBe("1234.00");
  });

  it.each(["", "abc", "-5", "1,23,4", "1.2.3", "12 34", "1.234'567,50", "$ 5", "0.125", "18.5051"])(
    "leaves %s to be refused",
    (text) => expect(read(text)).toBeNull(),
  );

  it("leaves what is typed before the currency is known", () => expect(read("5,00", "")).toBeNull());

  it("reads rates and percentages", () => {
    expect(readDecimal("0,86")).toEqual({ amount: "0.86" });
    expect(readDecimal("8.875 %")).toEqual({ amount: "8.875" });
    expect(readDecimal("21")).toEqual({ amount: "21" });
    expect(readDecimal("1.234,5")).toBeNull();
    expect(readDecimal("x")).toBeNull();
  });
});
