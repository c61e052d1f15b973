import { describe, expect, it } from "vitest";

import { inLanguage, mailAt, missingIn, withLanguage, withOwn } from "./own";

describe("texts by language", () => {
  it("reads a string in every language, a map in its own", () => {
    expect(inLanguage("Hello", "nl")).toBe("Hello");
    expect(inLanguage({ en: "Hello" }, "nl")).toBe("");
  });

  it("types one language and leaves the others as they were", () => {
    expect(withLanguage(undefined, "nl", "Dag")).toEqual({ nl: "Dag" });
    expect(withLanguage("Hello", "nl", "Dag")).toEqual({ en: "Hello", de: "Hello", nl: "Dag" });
    expect(withLanguage({ en: "Hello", fr: "Salut" }, "en", "")).toEqual({ fr: "Salut" });
    expect(withLanguage({ en: "Hello" }, "en", "")).toBeUndefined();
  });

  it("names the languages that have none", () => {
    expect(missingIn({ en: "Hello" })).toEqual(["German", "Dutch"]);
    expect(missingIn("Hello")).toEqual([]);
    expect(missingIn(undefined)).toEqual([]);
  });
});

describe("what a mail says", () => {
  it("is added, changed where it stands, and taken out when nothing is left", () => {
    const one = withOwn({ sender: "O" }, "begun", { subject: { en: "Hi" } });
    expect(one).toEqual({ sender: "O", own: [{ id: "begun", subject: { en: "Hi" } }] });
    const two = withOwn(withOwn(one, "ended", { text: "Bye" }), "begun", { text: "Welcome" });
    expect(two.own).toEqual([
      { id: "begun", subject: { en: "Hi" }, text: "Welcome" },
      { id: "ended", text: "Bye" },
    ]);
    expect(withOwn(one, "begun", { subject: undefined })).toEqual({ sender: "O" });
  });
});

it("knows which mail an address is about", () => {
  expect(mailAt("/s/ostrel/mails/ended")).toBe("ended");
  expect(mailAt("/s/ostrel/mails")).toBe("order_paid");
  expect(mailAt("/s/ostrel/papers")).toBeUndefined();
});
