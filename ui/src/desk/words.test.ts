// What the desk says and where it goes: small rules that screens lean on.
import { describe, expect, it } from "vitest";

import type { Schemas } from "../api/client";
import { fieldProblem, Refused } from "../api/client";
import { fitting } from "../kit/fields/Finder";
import { COUNTRIES, countryName } from "../kit/format/countries";
import { percent } from "../kit/format/percent";
import { browserWords } from "./people/Account";
import { noticed } from "./release/noticed";
import { along } from "./room/places";
import { SHORTCUTS } from "./frame/shortcuts";
import { STAGES } from "./room/rooms";

describe("what a release changes for buyers", () => {
  const effect = (checkout: string, after: string): Schemas["EffectView"] => ({
    ...{ checkout, name: checkout, kind: "amount", what: "pays" },
    ...{ before: "EUR 48.00", after },
  });

  it("is one row where it is the same for several", () => {
    const rows = noticed([
      { id: "a", name: "Anna", effects: [effect("press", "EUR 1.00"), effect("kit", "EUR 50.00")] },
      { id: "b", name: "Bert", effects: [effect("kit", "EUR 50.00")] },
      { id: "c", name: "Cees", effects: [effect("kit", "EUR 51.00")] },
      { id: "d", name: "Dora", effects: [] },
    ]);
    expect(rows.map(({ effect: one, names }) => [one.checkout, one.after, names])).toEqual([
      ["kit", "EUR 50.00", ["Anna", "Bert"]],
      ["kit", "EUR 51.00", ["Cees"]],
      ["press", "EUR 1.00", ["Anna"]],
    ]);
  });
});

describe("addresses", () => {
  it("take the tape along and leave the rest", () => {
    expect(along("?buyer=utrecht&beside=a,b&preview=phone&search=x&quantity=3")).toBe(
      "?buyer=utrecht&beside=a%2Cb&quantity=3",
    );
    expect(along("")).toBe("");
    expect(along("?buyer=")).toBe("");
  });
});

describe("shortcuts", () => {
  const press = (key: string, code: string, held: Partial<KeyboardEvent> = {}) =>
    ({
      key,
      code,
      altKey: false,
      ctrlKey: false,
      metaKey: false,
      shiftKey: false,
      target: null,
      ...held,
    }) as KeyboardEvent;
  const act = (event: KeyboardEvent) => SHORTCUTS.filter((one) => one.fits(event)).map((one) => one.act);

  it("each have keys of their own", () => {
    expect(new Set(SHORTCUTS.map((one) => one.keys)).size).toBe(SHORTCUTS.length);
    expect(SHORTCUTS).toHaveLength(STAGES.length + 8);
  });

  it.each([
    [press("1", "Digit1", { altKey: true }), ["stage 0"]],
    [press("¡", "Digit8", { altKey: true }), ["stage 7"]],
    [press("j", "KeyJ", { altKey: true }), ["jump"]],
    [press("j", "KeyJ", { altKey: true, ctrlKey: true }), []],
    [press("z", "KeyZ", { ctrlKey: true }), ["undo"]],
    [press("Z", "KeyZ", { metaKey: true, shiftKey: true }), ["redo"]],
    [press("Enter", "Enter", { ctrlKey: true }), ["main"]],
    [press("?", "Slash", { shiftKey: true }), ["help"]],
    [press("z", "KeyZ"), []],
  ])("%# are what the list says", (event, acts) => {
    expect(act(event)).toEqual(acts);
  });

  it("leave undo and the question mark to a field that is typed into", () => {
    const field = { closest: () => ({}) } as unknown as HTMLElement;
    expect(act(press("z", "KeyZ", { ctrlKey: true, target: field }))).toEqual([]);
    expect(act(press("?", "Slash", { target: field }))).toEqual([]);
    expect(act(press("1", "Digit1", { altKey: true, target: field }))).toEqual(["stage 0"]);
  });
});

describe("finding", () => {
  const all = [
    { key: "a", name: "Bone folder" },
    { key: "b", name: "Kit", kind: "bone" },
    { key: "c", name: "Press" },
  ];
  it("shows of an old answer only what fits what is typed by now", () => {
    expect(fitting(all, " BONE ", true).map((one) => one.key)).toEqual(["a", "b"]);
    expect(fitting(all, "bone", false)).toBe(all);
    expect(fitting(all, "", true)).toHaveLength(3);
  });
});

describe("words", () => {
  it.each([
    ["0.21", "21 %"],
    ["0.055", "5.5 %"],
    ["0", "0 %"],
    ["0.08875", "8.875 %"],
    ["1", "100 %"],
    ["0.2100", "21 %"],
  ])("write the rate %s as %s", (rate, words) => expect(percent(rate)).toBe(words));

  it.each([
    ["Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/140.0 Safari/537.36", "Chrome on Linux"],
    [
      "Mozilla/5.0 (Windows NT 10.0) AppleWebKit/537.36 Chrome/140.0 Safari/537.36 Edg/140.0",
      "Chrome on Windows",
    ],
    ["Mozilla/5.0 (iPhone; CPU iPhone OS 18_0 like Mac OS X) Version/18.0 Safari/604.1", "Safari on iPhone"],
    ["Mozilla/5.0 (Android 15; Mobile; rv:140.0) Gecko/140.0 Firefox/140.0", "Firefox on Android"],
    ["python-httpx/1.0", "A browser"],
    ["", "A browser"],
  ])("call the browser of %s %s", (agent, words) => expect(browserWords(agent)).toBe(words));

  it("name every country once", () => {
    expect(new Set(COUNTRIES.map(([code]) => code)).size).toBe(COUNTRIES.length);
    expect(COUNTRIES).toHaveLength(249); // ISO 3166-1 has 249 officially assigned codes
    expect(COUNTRIES.filter(([code, name]) => code === name)).toEqual([]);
    expect(countryName("NL")).toBe("Netherlands");
    expect(countryName("")).toBe("");
  });

  it("say what is wrong with a field in whole sentences", () => {
    const errors = [
      { path: "name", message: "is empty", remedy: "Write your name", code: "missing" },
      { path: "url", message: "is none", remedy: "Did you mean https?", code: "invalid" },
    ];
    const refused = new Refused({ type: "", title: "", status: 422, detail: "", errors, current: null });
    expect(fieldProblem(refused, "name")).toBe("This is empty. Write your name.");
    expect(fieldProblem(refused, "url")).toBe("This is none. Did you mean https?");
    expect(fieldProblem(refused, "other")).toBeUndefined();
    expect(fieldProblem(new Error("x"), "name")).toBeUndefined();
  });
});
