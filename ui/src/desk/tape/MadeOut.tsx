// Whom a tape is made out to, and what is tried with it.
import { memo } from "react";
import { useLocation } from "react-router";
import { Button } from "../../kit/Button";
import { SlotChoice } from "../../kit/fields/Sentence";
import { COUNTRIES } from "../../kit/format/countries";
import { Quantity } from "./Quantity";
import type { TapeView, TapesView } from "./TapeRoll";
import { useTape, asSaved, REAL, type Card, CARDS } from "./tapeState";
import { SlotDate } from "../../kit/fields/Day";

type MadeOutProps = Pick<
  TapeView,
  "id" | "mode" | "country" | "currency" | "business" | "card" | "way" | "on"
> &
  Pick<TapesView, "quantity" | "smallest" | "largest"> & {
    currencies: string;
    index: number;
  };

/** Whom it is made out to, changed in place. Drawn anew only when that changes: it holds every country there is. */
export const MadeOut = memo(function MadeOut({ index, ...tape }: MadeOutProps) {
  const { buyers, change, beside, main } = useTape();
  const first = index === 0;
  const choose = (id: string) =>
    first
      ? change({ buyer: id, ...asSaved })
      : change({ beside: beside.map((one, i) => (i === index - 1 ? id : one)).join(",") });
  const options = [...buyers.map((one) => [one.id, one.name] as const), [REAL, "Real buyers"] as const];
  const currencies = tape.currencies.split(",").map((one) => [one, one] as const);
  const changed =
    first && [main.country, main.currency, main.business, main.card, main.on].some((one) => one !== null);
  return (
    <>
      made out to <SlotChoice label="Made out to" value={tape.id} options={options} onChange={choose} />
      <br />
      {first ? (
        <>
          from{" "}
          <SlotChoice
            label="Country"
            value={tape.country}
            options={COUNTRIES}
            onChange={(country) => change({ country })}
          />
          , a{" "}
          <SlotChoice
            label="Consumer or business"
            value={tape.business ? "yes" : "no"}
            options={[
              ["no", "consumer"],
              ["yes", "business"],
            ]}
            onChange={(business) => change({ business })}
          />
          <br />
          in{" "}
          <SlotChoice
            label="Currency"
            value={tape.currency}
            options={currencies}
            onChange={(currency) => change({ currency })}
          />
          {tape.way ? `, by ${tape.way}` : null}
          {tape.mode === "test" && !tape.way ? (
            <>
              , card{" "}
              <SlotChoice<Card>
                label="Card"
                value={tape.card}
                options={CARDS}
                onChange={(card) => change({ card })}
              />
            </>
          ) : null}
          <br />
          on <SlotDate label="Date" value={tape.on} onChange={(on) => change({ on })} />
          {tape.largest > 1 ? (
            <>
              , <Quantity quantity={tape.quantity} smallest={tape.smallest} largest={tape.largest} />
            </>
          ) : null}
          {changed ? (
            <Button look="plain" onPress={() => change(asSaved)}>
              as kept
            </Button>
          ) : null}
        </>
      ) : (
        <>
          {tape.country}, {tape.business ? "business" : "consumer"}, {tape.currency}
          <br />
          on {tape.on}
        </>
      )}
    </>
  );
});

/** What is tried: one of several prices, a variant, a coupon. */
export function Tried({
  price,
  choices,
  variant,
  variants,
  coupon,
  coupons,
}: Pick<TapesView, "price" | "choices" | "variant" | "variants" | "coupon" | "coupons">) {
  const { change } = useTape();
  const { pathname } = useLocation();
  const ofCoupon = pathname.split("/")[3] === "coupons";
  return (
    <>
      {choices.length > 1 ? (
        <>
          <br />
          at{" "}
          <SlotChoice
            label="Price"
            value={price}
            options={choices.map((one) => [one.price, one.words] as const)}
            onChange={(name) => change({ price: name === choices[0]?.price ? null : name })}
          />
        </>
      ) : null}
      {variants.length ? (
        <>
          <br />
          in{" "}
          <SlotChoice
            label="Variant"
            value={variant ?? ""}
            options={variants.map((one) => [one.id, one.name] as const)}
            onChange={(name) => change({ variant: name === variants[0]?.id ? null : name })}
          />
        </>
      ) : null}
      {coupons.length && !ofCoupon ? (
        <>
          <br />
          with{" "}
          <SlotChoice
            label="Coupon"
            value={coupon ?? ""}
            options={[["", "no coupon"], ...coupons.map((one) => [one.id, one.name] as const)]}
            onChange={(name) => change({ coupon: name || null })}
          />
        </>
      ) : null}
    </>
  );
}
