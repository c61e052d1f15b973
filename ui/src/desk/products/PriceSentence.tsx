// One price as a sentence whose parts are edited where they stand. Its parts are functions and no components: each
// tells the sentence what is wrong with it, before the sentence is drawn.
import { Sentence, SlotChoice, SlotMoney, SlotText } from "../../kit/fields/Sentence";
import { SlotDuration } from "../../kit/fields/SlotDuration";
import { RHYTHMS } from "../../kit/format/durations";
import { asPriceKind, numberOr, type PriceBody, withAmount, without, withValue } from "../editing/bodies";
import { slots } from "../editing/slots";
import { quantitySlots } from "./PriceSlots";
import { asOffered, endsAs, KINDS, OFFERED, startSlots, type SlotsOf } from "./startSlots";

type Kind = PriceBody["kind"] | "chosen";

/** What is wrong here has no slot of its own. */
const NO_SLOT = ["kind", "amount", "chosen", "start", "id", "default", "offered", "for", "for[0]"];

export function PriceSentence({
  isDisabled,
  problem,
  ...price
}: Omit<SlotsOf, "at"> & { isDisabled: boolean; problem: (path: string) => string | undefined }) {
  const { at, problems } = slots(problem, isDisabled);
  at(...NO_SLOT);
  const kind = price.price.chosen ? "chosen" : price.price.kind;
  const of = { ...price, at };
  const { onChange } = price;
  return (
    <Sentence problems={problems}>
      Charge {kind === "free" ? null : <>{amountSlot(of, kind)} </>}
      <SlotChoice
        isDisabled={isDisabled}
        label="How it is charged"
        value={kind}
        options={KINDS}
        onChange={(next) => onChange(asPriceKind(price.price, next, price.base))}
      />
      {kind === "chosen" ? suggestedSlot(of) : null}
      {kind === "recurring" || kind === "instalments" ? rhythmSlots(of, kind) : null}
      {kind === "instalments" ? againSlots(of) : null}. It is{" "}
      <SlotChoice
        isDisabled={isDisabled}
        label="To whom it is offered"
        value={price.price.offered === false ? "kept" : price.price.for ? "named" : "all"}
        options={OFFERED}
        onChange={(to) => onChange(asOffered(price.price, to))}
      />
      {quantitySlots(of)}
    </Sentence>
  );
}

function amountSlot({ price, base, at, onChange }: SlotsOf, kind: Kind) {
  if (kind === "chosen")
    return (
      <SlotMoney
        {...at(`chosen.minimum.${base}`)}
        label={`Least amount in ${base}`}
        currency={`${base} or more`}
        value={price.chosen?.minimum[base] ?? ""}
        onChange={(text) => {
          const minimum = withAmount(price.chosen?.minimum, base, text);
          onChange(withValue(price, "chosen", { ...price.chosen, minimum }));
        }}
      />
    );
  const { invalid, isDisabled } = at(`amount.${base}`, "amount");
  return (
    <SlotMoney
      invalid={invalid}
      isDisabled={isDisabled}
      label={`Amount in ${base}`}
      currency={kind === "instalments" ? `${base} a time` : base}
      value={price.amount?.[base] ?? ""}
      onChange={(text) => onChange(withValue(price, "amount", withAmount(price.amount, base, text)))}
    />
  );
}

function suggestedSlot({ price, base, at, onChange }: SlotsOf) {
  return (
    <>
      , with{" "}
      <SlotMoney
        {...at(`chosen.suggested.${base}`)}
        label={`Suggested amount in ${base}`}
        currency={base}
        placeholder="nothing"
        value={price.chosen?.suggested?.[base] ?? ""}
        onChange={(text) => {
          const suggested = withAmount(price.chosen?.suggested, base, text);
          const chosen = { ...price.chosen, suggested };
          const kept = Object.keys(suggested).length ? chosen : without(chosen, "suggested");
          onChange(withValue(price, "chosen", kept));
        }}
      />{" "}
      filled in at first
    </>
  );
}

function rhythmSlots(of: SlotsOf, kind: Kind) {
  const { price, at, onChange } = of;
  return (
    <>
      {kind === "instalments" ? (
        <>
          :{" "}
          <SlotText
            {...at("payments")}
            label="Number of payments"
            inputMode="numeric"
            value={String(price.payments ?? "")}
            onChange={(text) => onChange(withValue(price, "payments", numberOr(text)))}
          />{" "}
          payments, one
        </>
      ) : (
        ","
      )}{" "}
      every{" "}
      <SlotDuration
        {...at("every")}
        as="every"
        label="Every"
        options={RHYTHMS}
        value={price.every ?? "P1M"}
        onChange={(every) => onChange(withValue(price, "every", every))}
      />
      , {startSlots(of)}
      {price.kind === "recurring" ? endSlot(of) : null}
    </>
  );
}

const ENDS = [
  ["paid_time", "when the paid time does"],
  ["kept", "at once"],
  ["given_back", "at once, and the unused part is given back"],
] as const;

function endSlot({ price, at, onChange }: SlotsOf) {
  return (
    <>
      . Cancelled, it ends{" "}
      <SlotChoice
        {...at("ends")}
        label="When it ends that is cancelled"
        value={endsAs(price)}
        options={ENDS}
        onChange={(next) => {
          const ends = { when: "at_once", ...(next === "given_back" ? { unused: next } : {}) };
          onChange(withValue(price, "ends", next === "paid_time" ? undefined : ends));
        }}
      />
    </>
  );
}

const AGAIN = [
  ["no", "then it is paid"],
  ["yes", "and it begins again"],
] as const;

function againSlots({ price, at, onChange }: SlotsOf) {
  const set = (again: string | undefined) => onChange(withValue(price, "again", again));
  return (
    <>
      {"; "}
      <SlotChoice
        isDisabled={at().isDisabled}
        label="When the set is paid"
        value={price.again === undefined ? "no" : "yes"}
        options={AGAIN}
        onChange={(again) => set(again === "yes" ? "P1Y" : undefined)}
      />
      {price.again === undefined ? null : (
        <>
          {" "}
          every{" "}
          <SlotDuration
            {...at("again")}
            as="every"
            label="Again every"
            options={RHYTHMS}
            value={price.again}
            onChange={set}
          />
        </>
      )}
    </>
  );
}
