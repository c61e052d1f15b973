import { describe, expect, it } from "vitest";

import { slots } from "./slots";

const wrong: Record<string, string> = {
  "amount.EUR": "Write an amount.",
  amount: "Write amounts.",
  until: "Too late.",
};

describe("the slots of a sentence", () => {
  it("are marked where they are wrong, and the sentence tells all of it in their order", () => {
    const { at, problems } = slots((path) => wrong[path], true);
    expect(at("from")).toEqual({ invalid: false, isDisabled: true });
    expect(at("until")).toEqual({ invalid: true, isDisabled: true });
    expect(at("amount.EUR", "amount")).toEqual({ invalid: true, isDisabled: true });
    expect(problems).toEqual(["Too late.", "Write an amount.", "Write amounts."]);
  });
});
