import { expect, it } from "vitest";

import { percentOf, shareOf } from "./percent";

it.each([
  ["0.21", "21"],
  ["0.08875", "8.875"],
  ["0.055", "5.5"],
  ["0.005", "0.5"],
  ["0", "0"],
  ["1.25", "125"],
])("%s is %s percent, and back", (share, typed) => {
  expect(percentOf(share)).toBe(typed);
  expect(shareOf(typed)).toBe(share);
});

it("what is typed on the way stays a number, and what is none stays as it is", () => {
  expect(shareOf("8.")).toBe("0.08");
  expect(shareOf("8.0")).toBe("0.08");
  expect(shareOf("")).toBe("");
  expect(shareOf("eight")).toBe("eight");
  expect(percentOf("")).toBe("");
  expect(percentOf("eight")).toBe("eight");
});
