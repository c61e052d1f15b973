// What is chosen of what is offered.
import type { Counter } from "./boot";
import type { Chosen } from "./kept";

export type Price = Counter["prices"][number];

export type Variant = Price["variants"][number];

/** The price that is chosen; where it is not sold any more, the one chosen at first. */
export function priceOf(counter: Counter, chosen: Chosen): Price | undefined {
  return (
    counter.prices.find((price) => price.id === chosen.price) ??
    counter.prices.find((price) => price.id === counter.price && !price.sold_out) ??
    counter.prices.find((price) => !price.sold_out) ??
    counter.prices[0]
  );
}

/** The variant that is chosen; where it is none of the price's, the first that is left. */
export function variantOf(price: Price | undefined, chosen: Chosen): Variant | undefined {
  return (
    price?.variants.find((variant) => variant.id === chosen.variant) ??
    price?.variants.find((variant) => !variant.sold_out) ??
    price?.variants[0]
  );
}

export function quantityOf(price: Price, chosen: Chosen): number {
  return Math.min(price.largest, Math.max(price.smallest, chosen.quantity ?? price.smallest));
}

/** The amount that the buyer has chosen in the currency they pay in; else what is filled in. */
export function amountOf(counter: Counter, price: Price, chosen: Chosen): string | undefined {
  if (price.suggested === null) return undefined;
  return (chosen.chosen_in === counter.currency ? chosen.chosen : undefined) ?? price.suggested;
}

export const daysToGiveBack = (days: number) =>
  days === 1 ? "You can give it back for a day." : `You can give it back for ${days} days.`;
