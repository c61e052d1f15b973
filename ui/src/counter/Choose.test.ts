import { describe, expect, it } from "vitest";

import { priceOf, quantityOf, variantOf } from "./chosen";
import type { Counter } from "./boot";

type Price = Counter["prices"][number];

const variant = (id: string, sold_out = false) => ({ id, name: id, sold_out, left: null, picture: null });

const price = (id: string, more: Partial<Price> = {}): Price => ({
  ...{
    id,
    product: "Kit",
    kind: "goods",
    sends: false,
    label: id,
    words: "EUR 48.00 once",
    text: null,
    saving: null,
    before: null,
    about: null,
    refund_days: null,
    smallest: 1,
    largest: 10,
  },
  ...{ suggested: null, sold_out: false, left: null, variants: [], picture: null },
  ...more,
});

const counter = (prices: Price[], first: string) => ({ prices, price: first }) as unknown as Counter;

describe("what is chosen at first", () => {
  it("is what the business chose, unless that is sold out", () => {
    const both = [price("month"), price("year")];
    expect(priceOf(counter(both, "year"), { coupons: [] })?.id).toBe("year");
    expect(priceOf(counter(both, "year"), { coupons: [], price: "month" })?.id).toBe("month");
    expect(priceOf(counter([price("a", { sold_out: true }), price("b")], "a"), { coupons: [] })?.id).toBe(
      "b",
    );
    expect(priceOf(counter([price("a", { sold_out: true })], "a"), { coupons: [] })?.id).toBe("a");
  });

  it("forgets a choice that is not sold any more", () => {
    expect(priceOf(counter([price("month")], "month"), { coupons: [], price: "gone" })?.id).toBe("month");
  });

  it("is the first variant that is left", () => {
    const one = price("kit", { variants: [variant("moss", true), variant("chalk"), variant("indigo")] });
    expect(variantOf(one, { coupons: [] })?.id).toBe("chalk");
    expect(variantOf(one, { coupons: [], variant: "indigo" })?.id).toBe("indigo");
    expect(variantOf(one, { coupons: [], variant: "red" })?.id).toBe("chalk");
    expect(variantOf(price("plain"), { coupons: [] })).toBeUndefined();
  });

  it("is a number within what is sold at once", () => {
    const few = price("few", { smallest: 2, largest: 4 });
    expect([undefined, 1, 3, 9].map((quantity) => quantityOf(few, { coupons: [], quantity }))).toEqual([
      2, 2, 3, 4,
    ]);
  });
});
