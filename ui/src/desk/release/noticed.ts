// What of a review wants to be looked at, the same for several buyers told once.
import type { Schemas } from "../../api/client";
import type { Effect } from "./Differences";

interface Noticed {
  effect: Effect;
  names: string[];
}

/** Effects that are the same for several buyers are one row. */
export function noticed(buyers: Schemas["BuyerReviewView"][]): Noticed[] {
  const found = new Map<string, Noticed>();
  for (const buyer of buyers) {
    for (const effect of buyer.effects) {
      const key = JSON.stringify([effect.checkout, effect.what, effect.before, effect.after]);
      const row = found.get(key) ?? { effect, names: [] };
      row.names.push(buyer.name);
      found.set(key, row);
    }
  }
  return [...found.values()].sort((a, b) => (a.effect.checkout < b.effect.checkout ? -1 : 1));
}
