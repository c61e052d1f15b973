import { describe, expect, it } from "vitest";

import { COUNTRIES, countriesFor, EU, meantCountry } from "./countries";

describe("a country that is typed", () => {
  it.each([
    ["Belgium", "BE"],
    ["belgium ", "BE"],
    ["be", "BE"],
    ["Belgi", "BE"],
    ["België", "BE"],
    ["Belgie", "BE"],
    ["Belgique", "BE"],
    ["Deutschland", "DE"],
    ["Ger", "DE"],
    ["Holland", "NL"],
    ["the Netherlands", undefined],
    ["UK", "GB"],
    ["U.K.", "GB"],
    ["USA", "US"],
    ["Niger", "NE"],
    ["Nigeri", "NG"],
    ["Österreich", "AT"],
    ["Osterreich", "AT"],
    ["日本", "JP"],
    ["Côte d'Ivoire", "CI"],
    ["Cote d’Ivoire", "CI"],
  ])("%s is %s", (typed, code) => {
    expect(meantCountry(typed)).toBe(code);
  });

  it.each(["", "  ", "x", "Nig", "Guin", "Atlantis", "e"])("“%s” is none, or more than one", (typed) => {
    expect(meantCountry(typed)).toBeUndefined();
  });

  it("is meant by each of its own names", () => {
    for (const [code, name] of COUNTRIES) {
      expect(meantCountry(name)).toBe(code);
      expect(meantCountry(code.toLowerCase())).toBe(code);
    }
  });
});

describe("the list", () => {
  it("has all of them while nothing is typed", () => {
    expect(countriesFor("")).toHaveLength(COUNTRIES.length);
  });

  it("begins with what is meant, then what begins so", () => {
    expect(countriesFor("be")[0]?.key).toBe("BE");
    expect(countriesFor("ger")[0]?.key).toBe("DE");
    expect(countriesFor("ger").map((one) => one.key)).toContain("NE");
    expect(countriesFor("zzz")).toEqual([]);
  });
});

it("the members of the European Union are countries", () => {
  const codes = COUNTRIES.map(([code]) => code);
  expect(EU.filter((code) => !codes.includes(code))).toEqual([]);
  expect(EU).toHaveLength(27);
});
