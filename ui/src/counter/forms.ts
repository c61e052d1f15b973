// How countries write addresses: the first form comes with the page, the others are asked for once each.
import { useEffect, useState } from "react";

import { api, data, type Schemas } from "../api/client";

export type AddressForm = Schemas["AddressFormView"];

/** The form of a country; until it is there, the one that came with the page. */
export function useForm(country: string, first: AddressForm): AddressForm {
  const [known, setKnown] = useState<Record<string, AddressForm>>({ [first.country]: first });
  const there = known[country];
  useEffect(() => {
    if (there) return;
    let current = true;
    data(api.GET("/counter/api/address/{country}", { params: { path: { country } } })).then(
      (found) => {
        if (current) setKnown((all) => ({ ...all, [country]: found }));
      },
      () => undefined, // the first form stays; the server checks by the right one
    );
    return () => {
      current = false;
    };
  }, [country, there]);
  return there ?? first;
}
