import { expect, it } from "vitest";

import { EU } from "../../kit/format/countries";
import { placesIn, placesInWords } from "./places";

it.each([
  ["NL, BE", ["NL", "BE"]],
  ["Germany, österreich", ["DE", "AT"]],
  ["us-ny", ["US-NY"]],
  ["de 27", ["DE 27"]],
  ["everywhere else", ["*"]],
  ["*", ["*"]],
  ["Netherlands, nl,  , NL", ["NL"]],
  ["Atlantis", ["ATLANTIS"]],
  ["", []],
])("%s", (typed, places) => {
  expect(placesIn(typed)).toEqual(places);
});

it("the European Union is all of its members", () => {
  expect(placesIn("the EU, Norway")).toEqual([...EU, "NO"]);
});

it("those of another zone aside, and reads so again", () => {
  const rest = EU.filter((code) => code !== "NL");
  expect(placesIn("EU", ["NL", "*"])).toEqual(rest);
  expect(placesInWords([...rest, "NO"], ["NL", "*"])).toBe("EU, Norway");
  expect(placesInWords(["DE", "AT", "*"], ["NL"])).toBe("Germany, Austria, everywhere else");
  expect(placesInWords(rest, [])).toContain("Germany");
});
