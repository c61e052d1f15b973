import { describe, expect, it } from "vitest";

import { readableOn } from "../../counter/look";
import { percent } from "../../kit/format/percent";
import { withOwnAmount } from "../products/AmountGrid";
import { asPriceKind, idFor, numberOr, withAmount, withValue, type PriceBody } from "./bodies";

describe("an id for a name", () => {
  it.each([
    ["Bone folder", "bone-folder"],
    ["  Café Öğle — № 5 ", "cafe-ogle-5"],
    ["漢字", "new"],
    ["", "new"],
    ["a".repeat(80), "a".repeat(50)],
  ])("%s", (name, id) => expect(idFor(name, [])).toBe(id));

  it("avoids what is taken", () => expect(idFor("Kit", ["kit", "kit-2"])).toBe("kit-3"));
});

describe("a value that is empty", () => {
  it("is not written", () => expect(withValue({ a: "x", b: "y" }, "b", "")).toEqual({ a: "x" }));
  it("is written otherwise", () => expect(withValue({ a: "x" }, "a", "z")).toEqual({ a: "z" }));
});

describe("a rate in words", () => {
  it.each([
    ["0.21", "21 %"],
    ["0.09", "9 %"],
    ["0.00", "0 %"],
    ["0.255", "25.5 %"],
    ["0.08875", "8.875 %"],
    ["1.00", "100 %"],
  ])("%s", (rate, words) => expect(percent(rate)).toBe(words));
});

describe("text on the business's colour", () => {
  it.each([
    ["#000000", "#ffffff"],
    ["#6A2C38", "#ffffff"],
    ["#FFFFFF", "#000000"],
    ["#D9A441", "#000000"],
  ])("%s", (colour, text) => expect(readableOn(colour)).toBe(text));
});

describe("a price as another kind", () => {
  const once: PriceBody = { id: "kit", kind: "once", amount: { EUR: "48.00", GBP: "42.00" }, label: "Kit" };

  it("has what that kind needs, and nothing that it has not", () => {
    const monthly = asPriceKind(once, "recurring", "EUR");
    expect(monthly).toEqual({ ...once, kind: "recurring", every: "P1M" });
    const started = { ...monthly, start: { free: "P14D" } };
    expect(asPriceKind(started, "instalments", "EUR")).toEqual({
      ...once,
      kind: "instalments",
      every: "P1M",
      payments: 3,
    });
    expect(asPriceKind(started, "once", "EUR")).toEqual(once);
    expect(asPriceKind(started, "free", "EUR")).toEqual({ id: "kit", kind: "free", label: "Kit" });
  });

  it("goes from a fixed amount to a chosen one and back without losing what was typed", () => {
    const chosen = asPriceKind(once, "chosen", "EUR");
    expect(chosen).toEqual({ id: "kit", kind: "once", label: "Kit", chosen: { minimum: { EUR: "48.00" } } });
    expect(asPriceKind(chosen, "once", "EUR").amount).toEqual({ EUR: "48.00" });
    expect(asPriceKind(asPriceKind(once, "free", "EUR"), "once", "EUR").amount).toEqual({ EUR: "10.00" });
  });
});

describe("amounts and numbers as they are typed", () => {
  it("set one currency, and take it out where nothing is left", () => {
    expect(withAmount({ EUR: "1.00" }, "GBP", " 2.00 ")).toEqual({ EUR: "1.00", GBP: "2.00" });
    expect(withAmount({ EUR: "1.00", GBP: "2.00" }, "GBP", " ")).toEqual({ EUR: "1.00" });
    expect(withAmount(undefined, "EUR", "")).toEqual({});
  });

  it("become numbers where they are, and stay text for the server to refuse", () => {
    expect([numberOr("12"), numberOr(" 3 "), numberOr(""), numberOr("1o"), numberOr("-1")]).toEqual([
      12,
      3,
      undefined,
      "1o",
      "-1",
    ]);
  });
});

describe("an amount of one's own in the grid", () => {
  const body = {
    id: "kit",
    name: "Kit",
    kind: "goods" as const,
    prices: [
      { id: "a", kind: "once" as const, amount: { EUR: "1.00" } },
      {
        id: "b",
        kind: "recurring" as const,
        every: "P1M",
        amount: { EUR: "2.00" },
        start: { amount: { EUR: "3.00" } },
      },
    ],
    variants: [{ id: "moss", name: "Moss", amount: { EUR: "4.00" } }],
  };

  it("goes to the price, the first payment or the variant that it belongs to", () => {
    expect(withOwnAmount(body, "price", "b", "GBP", "9.00").prices[1]?.amount).toEqual({
      EUR: "2.00",
      GBP: "9.00",
    });
    expect(withOwnAmount(body, "start", "b", "GBP", "9.00").prices[1]?.start?.amount).toEqual({
      EUR: "3.00",
      GBP: "9.00",
    });
    expect(withOwnAmount(body, "variant", "moss", "GBP", "9.00").variants?.[0]?.amount).toEqual({
      EUR: "4.00",
      GBP: "9.00",
    });
    expect(withOwnAmount(body, "price", "gone", "GBP", "9.00")).toEqual(body);
  });
});
