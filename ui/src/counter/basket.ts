// What a buyer has put together: kept by the server under an id that the website's pages keep and hand on.
import { useCallback, useEffect, useRef, useState } from "react";

import { api, data, Refused, type Problem, type Schemas } from "../api/client";
import type { Counter } from "./boot";
import type { Price, Variant } from "./chosen";
import { basketOf, type CheckoutCode } from "./kept";
import type { Wanted } from "./useVisit";

export type Thing = Schemas["ThingView"];

type InBasket = Schemas["InBasket"];

/** A thing with its price and variant, as far as the page knows them. */
export interface Line {
  thing: Thing;
  price: Price;
  variant: Variant | undefined;
}

const same = (one: Thing, other: Thing) => one.price === other.price && one.variant === other.variant;

/** What lies in it once a thing is as often there as it says, in the order in which it came. */
export function withThing(things: Thing[], thing: Thing): Thing[] {
  if (thing.quantity <= 0) return things.filter((one) => !same(one, thing));
  return things.some((one) => same(one, thing))
    ? things.map((one) => (same(one, thing) ? thing : one))
    : [...things, thing];
}

/** The things whose price the page knows. */
export function linesOf(counter: Counter, things: Thing[]): Line[] {
  return things.flatMap((thing) => {
    const price = counter.prices.find((one) => one.id === thing.price);
    if (!price) return [];
    return [{ thing, price, variant: price.variants.find((one) => one.id === thing.variant) }];
  });
}

/** Whether so many of a line can be had. */
export function isShort({ thing, price, variant }: Line): boolean {
  const of = variant ?? price;
  return price.sold_out || of.sold_out || (of.left !== null && of.left < thing.quantity);
}

/** The amount of one piece that the buyer has chosen in the currency they pay in; else what is suggested. */
export function amountIn(counter: Counter, { thing, price }: Line): string | undefined {
  if (price.suggested === null) return undefined;
  return (thing.chosen_in === counter.currency ? thing.chosen : undefined) ?? price.suggested;
}

export function itemsOf(counter: Counter, lines: Line[]): NonNullable<Wanted["items"]> {
  return lines.map((line) => ({
    price: line.price.id,
    quantity: line.thing.quantity,
    variant: line.thing.variant ?? undefined,
    chosen: amountIn(counter, line),
  }));
}

/** The basket of a checkout that takes several things. What is changed shows at once, and is kept one after the other. */
export function useBasket(
  code: CheckoutCode,
  fresh: Counter,
  counter: Counter,
  setPrices: (prices: Counter["prices"]) => void,
  /** Which visit is gone on with is known. */
  ready: boolean,
) {
  const { several } = fresh;
  const [id] = useState(() => basketOf(code, fresh));
  const [things, setThings] = useState<Thing[]>(() =>
    fresh.brought && (!fresh.adds || !id) ? fresh.brought : fresh.basket.things,
  );
  const [elsewhere, setElsewhere] = useState(fresh.basket.elsewhere);
  const [unsold, setUnsold] = useState(fresh.basket.unsold);
  const [problem, setProblem] = useState<Problem>();
  const queue = useRef<Promise<unknown>>(Promise.resolve());
  const waiting = useRef(0);
  const visit = useRef(counter.visit);
  useEffect(() => {
    visit.current = counter.visit;
  }, [counter.visit]);

  const take = useCallback(
    (found: InBasket) => {
      setPrices(found.prices);
      setThings(found.basket.things);
      setElsewhere(found.basket.elsewhere);
      setUnsold((before) => [...new Set([...before, ...found.basket.unsold])]);
    },
    [setPrices],
  );
  const ask = useCallback(
    (put: Thing[], how: { anew?: boolean; more?: boolean } = {}) => {
      if (!id) return;
      waiting.current += 1;
      queue.current = queue.current
        .then(() =>
          data(
            api.POST("/counter/api/basket", {
              body: { visit: visit.current, basket: id, put, anew: false, more: false, ...how },
            }),
          ),
        )
        .then(
          (found) => {
            setProblem(undefined);
            if (waiting.current === 1) take(found);
          },
          (error: unknown) => setProblem(error instanceof Refused ? error.problem : undefined),
        )
        .finally(() => (waiting.current -= 1));
    },
    [id, take],
  );

  const begun = useRef(false);
  useEffect(() => {
    if (!several || !id || !ready || begun.current) return;
    begun.current = true;
    // What the link brings is put in once; whoever comes back to the page by itself finds what they made of it.
    if (fresh.brought) {
      const address = new URL(window.location.href);
      for (const name of ["items", "add"]) address.searchParams.delete(name);
      window.history.replaceState(window.history.state, "", address);
      ask(fresh.brought, fresh.adds ? { more: true } : { anew: true });
    } else if (!new URLSearchParams(window.location.search).has("basket")) ask([]);
  }, [several, id, fresh, ask, ready]);

  const put = useCallback(
    (thing: Thing) => {
      setThings((before) => withThing(before, thing));
      ask([thing]);
    },
    [ask],
  );
  const wellKnown = useCallback(() => {
    setUnsold([]);
    setProblem(undefined);
  }, []);
  return { id, things, elsewhere, unsold, problem, put, wellKnown };
}
