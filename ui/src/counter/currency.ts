// The currency of a visit: by the link, by the buyer's choice, else guessed from their country.
import { useEffect, useState } from "react";

import { api, data } from "../api/client";
import type { Counter } from "./boot";
import type { AddressForm } from "./forms";
import { keepCurrency, keptCurrency, type CheckoutCode } from "./kept";

/** A counter in another currency; amounts are the server's. */
export async function inCurrency(counter: Counter, currency: string, basket?: string): Promise<Counter> {
  const body = { visit: counter.visit, currency, ...(basket ? { basket } : {}) };
  return { ...counter, ...(await data(api.POST("/counter/api/currency", { body }))) };
}

/** The currency that was chosen, by the link or in this browser before, where the visit is in another. */
export function wishedCurrency(code: CheckoutCode, fresh: Counter, found: Counter): string | undefined {
  if (code === null) return undefined;
  const wish = fresh.asked ? fresh.currency : keptCurrency(code, fresh.site_url);
  return wish && wish !== found.currency && found.currencies.includes(wish) ? wish : undefined;
}

/** What is usual where a buyer lives, if it can be paid there; where nobody has said where, what the page began with. */
export function usualCurrency(fresh: Counter, counter: Counter, country: string, form: AddressForm): string {
  if (country === fresh.country && !fresh.guessed) return fresh.currency;
  const usual = form.currency ?? "";
  return counter.currencies.includes(usual) ? usual : (counter.currencies[0] ?? counter.currency);
}

export interface Currencies {
  /** Whether the currency is only what is usual where the buyer seems to be. */
  guessed: boolean;
  failed: boolean;
  choose: (currency: string) => void;
}

/** The choice of a currency; until one is made it follows the country, while the form is open. */
export function useCurrency(
  code: CheckoutCode,
  fresh: Counter,
  counter: Counter,
  { country, form, open }: { country: string; form: AddressForm; open: boolean },
  change: (currency: string) => Promise<void>,
): Currencies {
  const site = fresh.site_url;
  const [chosen, setChosen] = useState(
    () => Boolean(fresh.filled) || fresh.asked || keptCurrency(code, site) !== undefined,
  );
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    if (fresh.asked) keepCurrency(code, site, fresh.currency);
  }, [code, site, fresh]);
  const usual = form.country === country ? usualCurrency(fresh, counter, country, form) : counter.currency;
  const follows = !chosen && open && !failed && usual !== counter.currency;
  useEffect(() => {
    if (follows) change(usual).catch(() => setFailed(true));
  }, [follows, usual, change]);
  return {
    guessed: !chosen && (fresh.guessed || country !== fresh.country) && counter.currency === form.currency,
    failed,
    choose: (currency) => {
      setChosen(true);
      setFailed(false);
      keepCurrency(code, site, currency);
      change(currency).catch(() => setFailed(true));
    },
  };
}
