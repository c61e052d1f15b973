// How a price begins: a trial, a first payment, or at once.
import { SlotChoice, SlotMoney, SlotText } from "../../kit/fields/Sentence";
import { SlotDuration } from "../../kit/fields/SlotDuration";
import { LENGTHS } from "../../kit/format/durations";
import {
  type PriceKind,
  type PriceBody,
  without,
  type StartBody,
  withValue,
  withAmount,
  numberOr,
} from "../editing/bodies";
import type { Slots } from "../editing/slots";

export const KINDS: readonly (readonly [PriceKind | "chosen", string])[] = [
  ["once", "once"],
  ["recurring", "again and again"],
  ["instalments", "in instalments"],
  ["chosen", "once, as the buyer chooses"],
  ["free", "nothing"],
];

const STARTS = [
  ["none", "from the first day"],
  ["free", "after a free time"],
  ["amount", "after a different first payment"],
] as const;

export const OFFERED = [
  ["all", "offered to everybody"],
  ["named", "sold to named customers only"],
  ["kept", "kept for those who have it"],
] as const;

export function asOffered(price: PriceBody, to: (typeof OFFERED)[number][0]): PriceBody {
  const plain = without(without(price, "offered"), "for");
  if (to === "kept") return { ...without(plain, "default"), offered: false };
  return to === "named" ? { ...plain, for: [""] } : plain;
}

export function endsAs({ ends }: PriceBody): "paid_time" | "kept" | "given_back" {
  return ends?.when === "at_once" ? (ends.unused ?? "kept") : "paid_time";
}

/** A price whose slots are written: `at` tells the sentence what is wrong with each. */
export interface SlotsOf {
  price: PriceBody;
  base: string;
  at: Slots["at"];
  onChange: (price: PriceBody) => void;
}

export function startSlots({ price, base, at, onChange }: SlotsOf) {
  const { start } = price;
  const kind = start === undefined ? "none" : start.amount ? "amount" : "free";
  const set = (next: StartBody | undefined) => onChange(withValue(price, "start", next));
  return (
    <>
      <SlotChoice
        label="How it begins"
        value={kind}
        options={STARTS}
        isDisabled={at().isDisabled}
        onChange={(next) =>
          set(
            next === "none"
              ? undefined
              : next === "free"
                ? { free: "P14D" }
                : { amount: { [base]: price.amount?.[base] ?? "1.00" }, for: "P1M" },
          )
        }
      />
      {kind === "free" ? (
        <>
          {" "}
          of{" "}
          <SlotDuration
            as="length"
            label="Free for"
            options={LENGTHS}
            value={start?.free ?? "P14D"}
            {...at("start.free")}
            onChange={(free) => set({ ...start, free })}
          />
          , with a card{" "}
          <SlotChoice
            label="When a trial takes a card"
            value={start?.card ?? "at_order"}
            options={[
              ["at_order", "from the start"],
              ["later", "before it ends"],
            ]}
            {...at("start.card")}
            onChange={(card) => set({ free: start?.free ?? "P14D", ...(card === "later" ? { card } : {}) })}
          />
        </>
      ) : null}
      {kind === "amount" ? (
        <>
          {" "}
          of{" "}
          <SlotMoney
            label={`First payment in ${base}`}
            currency={base}
            value={start?.amount?.[base] ?? ""}
            {...at(`start.amount.${base}`)}
            onChange={(text) => set({ ...start, amount: withAmount(start?.amount, base, text) })}
          />{" "}
          for{" "}
          <SlotDuration
            as="length"
            label="First payment for"
            options={LENGTHS}
            value={start?.for ?? "P1M"}
            {...at("start.for")}
            onChange={(length) => set({ ...start, for: length })}
          />
          , charged{" "}
          <SlotText
            label="How often the first payment comes"
            inputMode="numeric"
            value={String(start?.times ?? 1)}
            {...at("start.times")}
            onChange={(text) => set({ ...start, times: numberOr(text) ?? "" })}
          />{" "}
          {start?.times === undefined || start.times === 1 ? "time" : "times"}
        </>
      ) : null}
    </>
  );
}
