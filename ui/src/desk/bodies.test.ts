import { describe, expect, it } from "vitest";

import { readableOn } from "../counter/look";
import { percent } from "../kit/percent";
import { idFor, withValue } from "./bodies";

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
