// What is typed at a checkout: what is there at first, what is missing, and what is asked of the server.
import { useState, useEffect } from "react";
import type { Schemas } from "../api/client";
import { itemsOf, type Line } from "./basket";
import type { Counter } from "./boot";
import { amountOf, priceOf, variantOf, quantityOf } from "./chosen";
import { type CheckoutCode, type Typed, keptTyped, type Chosen } from "./kept";
import type { Wanted, Phase } from "./useVisit";

export const FIELDS = [
  "email",
  "name",
  "password",
  "country",
  "price",
  "variant",
  "quantity",
  "chosen",
  "company",
  "place",
  "telephone",
];

const PARTS = ["name", "street", "district", "city", "region", "postal_code", "sorting_code"];

export const ADDRESS = ["address", "deliver_to"].flatMap((of) => PARTS.map((part) => `${of}.${part}`));

export type NumberState = Schemas["NumberView"];

export type Missing = {
  email?: string | undefined;
  name?: string | undefined;
  telephone?: string | undefined;
};

/** What was typed before, or is filled in for a stand-in buyer. */
export function typedAtFirst(code: CheckoutCode, fresh: Counter): Typed {
  const kept = keptTyped(code);
  const filled = fresh.filled;
  const country = filled?.country ?? kept.country ?? fresh.country;
  const known = fresh.countries.some((one) => one.code === country);
  return {
    email: filled?.email ?? kept.email ?? "",
    name: filled?.name ?? kept.name ?? "",
    country: known ? country : fresh.country,
    address: filled
      ? { region: filled.region ?? undefined, postal_code: filled.postal_code ?? undefined }
      : (kept.address ?? {}),
    deliver_to: kept.deliver_to,
    business: filled ? filled.tax_number !== null : (kept.business ?? false),
    company: kept.company,
    tax_number: filled?.tax_number ?? kept.tax_number,
    telephone: kept.telephone,
  };
}

export const nameOf = (counter: Counter, code: string) =>
  counter.countries.find((one) => one.code === code)?.name ?? code;

/** The address with the region that its postal code tells, where none is chosen. */
export function withRegion(address: Typed["address"], region: string | null | undefined): Typed["address"] {
  return address.region || !region ? address : { ...address, region };
}

/** The choice in full, so that the server never has to guess what the page shows as chosen. */
export function wantedOf(counter: Counter, chosen: Chosen, lines: Line[]): Wanted {
  const { coupons, delivery } = chosen;
  if (counter.several) return { items: itemsOf(counter, lines), delivery, coupons };
  const price = priceOf(counter, chosen);
  if (!price) return { coupons };
  return {
    price: price.id,
    variant: variantOf(price, chosen)?.id,
    quantity: quantityOf(price, chosen),
    chosen: amountOf(counter, price, chosen),
    delivery,
    coupons,
  };
}

/** True once paying has taken more than a few seconds. */
export function useSlow(phase: Phase): boolean {
  const [slow, setSlow] = useState(false);
  useEffect(() => {
    if (phase.kind !== "paying") return;
    const timer = setTimeout(() => setSlow(true), 3000);
    return () => {
      clearTimeout(timer);
      setSlow(false);
    };
  }, [phase.kind]);
  return slow;
}

/** What is missing; a number that can be called where it `rings` before a parcel is brought. */
export function check(typed: Typed, rings: boolean): Missing {
  const wrong: Missing = {};
  if (!/^[^\s@]+@[^\s@]+$/.test(typed.email.trim()))
    wrong.email = "Type the email address your receipt goes to, as in name@example.org.";
  if (!typed.name.trim()) wrong.name = "Type your name.";
  if (rings && !typed.telephone?.trim()) wrong.telephone = "Type a telephone number: the carrier needs it.";
  return wrong;
}

export const day = (at: string) =>
  new Date(at).toLocaleString("en-GB", { dateStyle: "long", timeStyle: "short" });
