import { describe, expect, it } from "vitest";

import { withoutWrongCoupons } from "./useVisit";

const problem = (...errors: [path: string, code: string][]) => ({
  ...{ type: "", title: "", status: 422, detail: "", current: null },
  errors: errors.map(([path, code]) => ({ path, code, message: "is wrong", remedy: "Mend it" })),
});

describe("coupons of which some are wrong", () => {
  it("leaves the wrong ones out, and the right ones in", () => {
    expect(withoutWrongCoupons(["A", "b", "C"], problem(["coupons[1]", "unknown"]))).toEqual(["A", "C"]);
    expect(withoutWrongCoupons(["a"], problem(["coupons[0]", "unknown"]))).toEqual([]);
  });

  it("leaves all of them out once too many were tried", () =>
    expect(withoutWrongCoupons(["A", "B"], problem(["coupons[0]", "too_many"]))).toEqual([]));

  it("asks no second time where something else is wrong", () => {
    expect(
      withoutWrongCoupons(["A"], problem(["buyer.country", "x"], ["coupons[0]", "unknown"])),
    ).toBeUndefined();
    expect(withoutWrongCoupons(["A"], problem())).toBeUndefined();
  });
});
