// Adding a checkout: from their list, and from a product's sheet.
import { api, data, type Schemas } from "../../api/client";

/** A new checkout. */
export const addCheckout = (
  code: string,
  id: string,
  body: Record<string, unknown>,
): Promise<Schemas["Part"]> =>
  data(
    api.PUT("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
      params: { path: { site: code, kind: "checkout", part_id: id } },
      body: { seen: 0, body },
    }),
  );
