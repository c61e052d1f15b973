import { describe, expect, it } from "vitest";

import { soldAt } from "./soldAt";

describe("the tape beside a book", () => {
  it.each([
    ["/s/ostrel/orders/live/ABCD2345", { kind: "orders", mode: "live", code: "ABCD2345" }],
    ["/s/ostrel/subscriptions/test/ABCD2345", { kind: "subscriptions", mode: "test", code: "ABCD2345" }],
    ["/s/ostrel/orders", { kind: "orders", mode: "test", code: undefined }],
    ["/s/ostrel/products/orders", undefined],
    ["/s/ostrel/transfers/test", undefined],
  ])("%s", (pathname, sold) => {
    expect(soldAt(pathname)).toEqual(sold);
  });
});
