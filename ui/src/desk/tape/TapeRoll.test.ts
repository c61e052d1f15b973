// The tape: one question at a time, always the newest, and what an edit has changed.
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { marksBetween, TapeRoll, type TapeRequest, type TapesView } from "./TapeRoll";

const tapes = (due: string, id = "utrecht", currency = "EUR"): TapesView => ({
  change: 1,
  price: "kit",
  title: "Kit",
  quantity: 1,
  smallest: 1,
  largest: 1,
  prices: [],
  choices: [],
  variant: null,
  variants: [],
  coupon: null,
  coupons: [],
  comparisons: [],
  futures: [],
  costs: [],
  problems: [],
  tapes: [
    {
      ...{ id, name: id, mode: "test", release: null, country: "NL", currency, business: false },
      ...{ card: "approved", way: null, screen: "phone", on: "2026-11-25", notes: [], problems: [] },
      rows: [{ key: "due", kind: "due", label: "Due today", amount: due, reasons: [] }],
    },
  ],
});

const ask = (name: string, buyer = "utrecht"): TapeRequest => ({
  buyers: [{ id: buyer }],
  unsaved: { kind: "product", id: "kit", body: { name } },
});

describe("TapeRoll", () => {
  let asked: { request: TapeRequest; answer: (tapes: TapesView) => void; fail: (error: unknown) => void }[];
  let roll: TapeRoll;
  const settle = () => vi.advanceTimersByTimeAsync(0);
  const want = (name: string, buyer?: string, change = 1) => roll.want({ request: ask(name, buyer), change });

  beforeEach(() => {
    vi.useFakeTimers();
    asked = [];
    roll = new TapeRoll(
      (request) => new Promise((answer, fail) => asked.push({ request, answer, fail })),
      (error) => (error === "refused" ? "It is refused." : undefined),
    );
  });
  afterEach(() => vi.useRealTimers());

  const answer = async (view: TapesView) => {
    asked.at(-1)?.answer(view);
    await settle();
  };

  it("asks at once, and then only for the newest of what was typed meanwhile", async () => {
    want("a");
    want("ab");
    want("abc");
    expect(asked).toHaveLength(1);
    await answer(tapes("1.00"));
    expect(asked).toHaveLength(2);
    expect(asked[1]?.request.unsaved?.body).toEqual({ name: "abc" });
    want("abc");
    await answer(tapes("2.00"));
    expect(asked).toHaveLength(2);
  });

  it("marks what an edit changes against how it stood before, until a while has passed", async () => {
    want("a");
    await answer(tapes("48.00"));
    expect(roll.snapshot().marks).toEqual({});
    want("b");
    await answer(tapes("4.00"));
    want("c");
    await answer(tapes("49.00"));
    expect(roll.snapshot().marks).toEqual({ "0 utrecht": { due: "48.00" } });
    await vi.advanceTimersByTimeAsync(8000);
    expect(roll.snapshot().marks).toEqual({});
    want("d");
    await answer(tapes("50.00"));
    expect(roll.snapshot().marks).toEqual({ "0 utrecht": { due: "49.00" } });
  });

  it("marks nothing when another buyer is looked at", async () => {
    want("a");
    await answer(tapes("48.00"));
    want("a", "london");
    await answer(tapes("42.00", "london", "GBP"));
    expect(roll.snapshot().marks).toEqual({});
  });

  it("keeps the tape and asks again without a connection, and says a refusal", async () => {
    want("a");
    await answer(tapes("48.00"));
    want("b");
    asked.at(-1)?.fail("away");
    await settle();
    expect(roll.snapshot()).toMatchObject({ away: true, tapes: { price: "kit" } });
    await vi.advanceTimersByTimeAsync(2000);
    expect(asked).toHaveLength(3);
    asked.at(-1)?.fail("refused");
    await settle();
    expect(roll.snapshot()).toMatchObject({ away: false, problem: "It is refused." });
    await vi.advanceTimersByTimeAsync(10_000);
    expect(asked).toHaveLength(3);
  });

  it("is asked again when the draft moves on", async () => {
    want("a");
    await answer(tapes("48.00"));
    want("a", "utrecht", 2);
    expect(asked).toHaveLength(2);
  });
});

describe("marks", () => {
  it.each([
    [undefined, tapes("1.00")],
    [tapes("1.00"), null],
    [tapes("1.00"), tapes("1.00")],
    [tapes("1.00"), tapes("2.00", "london")],
    [tapes("1.00"), tapes("2.00", "utrecht", "GBP")],
  ])("are none where nothing can be compared (%#)", (before, after) =>
    expect(marksBetween(before, after)).toEqual({}),
  );
});
