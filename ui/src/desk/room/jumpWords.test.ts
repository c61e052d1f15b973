import { expect, it } from "vitest";

import { screensFor } from "./jumpWords";

/** What people type, and the room that they mean. */
it.each([
  ["currency", "currencies"],
  ["VAT", "tax-and-delivery"],
  ["vat return", "tax-report"],
  ["stock", "products"],
  ["trial", "products"],
  ["refund", "orders"],
  ["download", "orders"],
  ["email", "renewals"],
  ["delete", "site"],
  ["thank-you page", "routes"],
  ["thank", "routes"],
  ["button colour", "site"],
  ["color", "site"],
  ["terms", "checkouts"],
  ["shipping", "delivery"],
  ["invoice", "papers"],
  ["go live", "release"],
  ["publish", "release"],
  ["rollback", "release/history"],
  ["discount", "coupons"],
  ["team", "people"],
  ["webhook", "orders"],
  ["upsell", "routes"],
  ["dark mode", "/account"],
  ["translation", "site"],
  ["IBAN", "transfers"],
  ["forecast", "outlook"],
])("%s leads to %s", (typed, path) => {
  expect(
    screensFor(typed)
      .slice(0, 4)
      .map((one) => one.path),
  ).toContain(path);
});

it("what is not there yet says so, and what there is instead", () => {
  const [found] = screensFor("thank-you");
  expect(found?.kind).toBe("not built yet");
  expect(found?.words).toContain("confirmation page");
});

it("nothing is found for nonsense, and the stages come first while nothing is typed", () => {
  expect(screensFor("xyzzy")).toEqual([]);
  expect(screensFor("(")).toEqual([]);
  expect(screensFor("")[0]?.path).toBe("products");
});
