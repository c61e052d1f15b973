// Edits that outlive their editor and their page; and what the tape is asked when news come from several places.
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { DraftSaver, type Keeper, type Part } from "./DraftSaver";
import { TapeRoll, type TapeRequest } from "../tape/TapeRoll";
import { anyUnsaved, letGo, openSaver, saverOf, sendAll } from "./savers";

const PART: Part = {
  kind: "product",
  id: "kit",
  change: 1,
  at: "2026-11-26T10:00:00Z",
  body: { name: "Kit" },
};

describe("savers", () => {
  let kept: Map<string, string>;
  let stored: unknown[];
  let away: boolean;
  const make = (keeper: Keeper) =>
    new DraftSaver(
      PART,
      (seen, body) => {
        if (away) return Promise.reject(new Error("no connection"));
        stored.push(body);
        return Promise.resolve({ ...PART, change: seen + 1, body });
      },
      () => undefined,
      keeper,
    );

  beforeEach(() => {
    vi.useFakeTimers();
    kept = new Map();
    stored = [];
    away = false;
    vi.stubGlobal("localStorage", {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => kept.set(key, value),
      removeItem: (key: string) => kept.delete(key),
    });
  });
  afterEach(async () => {
    away = false;
    await sendAll();
    for (const key of ["a", "b", "c", "d"]) letGo(key);
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("are one for each part, and gone once they have nothing to store", async () => {
    const saver = saverOf("a", "jo@example.org", make);
    expect(saverOf("a", "jo@example.org", make)).toBe(saver);
    saver.edit({ name: "Typed" });
    letGo("a");
    expect(openSaver("a")).toBe(saver);
    expect(anyUnsaved()).toBe(true);
    await sendAll();
    expect(stored).toEqual([{ name: "Typed" }]);
    letGo("a");
    expect(openSaver("a")).toBeUndefined();
  });

  it("keep what could not be stored for the same person, who finds it again", async () => {
    away = true;
    saverOf("b", "jo@example.org", make).edit({ name: "Offline" });
    await sendAll();
    expect([...kept.keys()]).toEqual(["unsaved edit jo@example.org b"]);
    away = false;
    const other = new DraftSaver(
      PART,
      () => Promise.reject(new Error("not asked")),
      () => undefined,
      {
        load: () => undefined,
        keep: () => undefined,
      },
    );
    expect(other.snapshot().body).toEqual(PART.body);
    const found = saverOf("c", "jo@example.org", (keeper) => {
      kept.set("unsaved edit jo@example.org c", kept.get("unsaved edit jo@example.org b") ?? "");
      return make(keeper);
    });
    expect(found.snapshot().body).toEqual({ name: "Offline" });
    await vi.advanceTimersByTimeAsync(10);
    expect(stored).toContainEqual({ name: "Offline" });
    expect(kept.has("unsaved edit jo@example.org c")).toBe(false);
  });

  it("say at once that what is typed is not stored yet", () => {
    const saver = saverOf("d", "jo@example.org", make);
    expect(saver.snapshot().state.kind).toBe("saved");
    saver.edit({ name: "T" });
    expect(saver.snapshot().state.kind).toBe("saving");
  });

  it("live with a browser that keeps nothing", async () => {
    vi.stubGlobal("localStorage", {
      getItem: () => {
        throw new Error("forbidden");
      },
      setItem: () => {
        throw new Error("full");
      },
      removeItem: () => {
        throw new Error("forbidden");
      },
    });
    saverOf("a", "jo@example.org", make).edit({ name: "Typed" });
    await sendAll();
    expect(stored).toEqual([{ name: "Typed" }]);
  });
});

const TRIED = { quantity: null, price: null, variant: null, coupon: null };

describe("what the tape is asked", () => {
  let asked: TapeRequest[];
  let roll: TapeRoll;
  beforeEach(() => {
    asked = [];
    roll = new TapeRoll(
      (request) => {
        asked.push(request);
        return new Promise(() => undefined);
      },
      () => undefined,
    );
  });
  const moment = () => Promise.resolve();

  it("waits until it is known for whom", async () => {
    roll.know({ subject: { kind: "product", id: "kit" } });
    await moment();
    expect(asked).toEqual([]);
    roll.know({ ready: true, buyers: [{ id: "utrecht" }], change: 1 });
    await moment();
    expect(asked).toEqual([
      { about: { kind: "product", id: "kit" }, ...TRIED, buyers: [{ id: "utrecht" }], unsaved: null },
    ]);
  });

  it("is one question for the news of one moment, and none for no news", async () => {
    roll.know({ ready: true, buyers: [{ id: "utrecht" }] });
    roll.know({ quantity: 2 });
    roll.know({ unsaved: { kind: "product", id: "kit", body: {} } });
    await moment();
    roll.know({ quantity: 2 });
    await moment();
    expect(asked).toHaveLength(1);
    expect(asked[0]).toMatchObject({ quantity: 2, unsaved: { id: "kit" } });
  });

  it("is asked at once where that is wanted", () => {
    roll.know({ ready: true, buyers: [{ id: "utrecht" }] });
    roll.askNow();
    expect(asked).toHaveLength(1);
    roll.askNow();
    expect(asked).toHaveLength(1);
  });
});
