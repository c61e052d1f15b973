// What a parcel would cost.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { data, api, type Schemas, Refused } from "../../api/client";
import { Choice } from "../../kit/fields/Choice";
import { Field } from "../../kit/fields/Field";
import { COUNTRIES } from "../../kit/format/countries";
import { money } from "../../kit/format/money";
import { Section, Table } from "../../kit/Sheet";
import { prices } from "../queries";

export function Tester({ code, change, currencies }: { code: string; change: number; currencies: string[] }) {
  const listed = useQuery(prices(code, "")).data ?? [];
  const [price, setPrice] = useState("");
  const [quantity, setQuantity] = useState("1");
  const [country, setCountry] = useState("DE");
  const [postal, setPostal] = useState("");
  const [currency, setCurrency] = useState(currencies[0] ?? "EUR");
  const chosen = price || listed[0]?.price || "";
  const asked = useQuery({
    queryKey: ["site", code, "parcels", change, chosen, quantity, country, postal, currency],
    enabled: chosen !== "" && /^[1-9]\d{0,3}$/.test(quantity),
    retry: false,
    queryFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/parcels", {
          params: { path: { site: code } },
          body: { price: chosen, quantity: Number(quantity), country, postal_code: postal, currency },
        }),
      ),
    placeholderData: (old: Schemas["ParcelView"] | undefined) => old,
  });
  const refused = asked.error instanceof Refused ? asked.error.problem.detail : undefined;
  return (
    <Section aria-labelledby="tester">
      <h2 id="tester">Try an address</h2>
      <div style={{ display: "grid", gap: 12, gridTemplateColumns: "repeat(auto-fit, minmax(150px, 1fr))" }}>
        <Choice
          label="Price"
          value={chosen}
          options={listed.map((one) => [one.price, one.words] as const)}
          onChange={setPrice}
        />
        <Field label="How many" value={quantity} onChange={setQuantity} />
        <Choice label="Country" value={country} options={COUNTRIES} onChange={setCountry} />
        <Field label="Postal code" value={postal} onChange={setPostal} />
        <Choice
          label="Currency"
          value={currency}
          options={currencies.map((one) => [one, one] as const)}
          onChange={setCurrency}
        />
      </div>
      <div role="status">
        {refused ? (
          <p>{refused}</p>
        ) : !asked.data ? null : asked.data.zone === null ? (
          <p>
            <strong>Nothing is sent there.</strong> No zone fits this address, and the counter says so before
            anything is paid.
          </p>
        ) : asked.data.methods.length === 0 ? (
          <p>
            <strong>{asked.data.zone}</strong> has no way of delivery: nothing is sent there.
          </p>
        ) : (
          <Table>
            <thead>
              <tr>
                <th scope="col">{asked.data.zone}</th>
                <th scope="col" className="amount">
                  costs
                </th>
              </tr>
            </thead>
            <tbody>
              {asked.data.methods.map((one) => (
                <tr key={one.id}>
                  <th scope="row">{one.name}</th>
                  <td className="amount">
                    {one.amount === null ? one.problem : money(asked.data.currency, one.amount)}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        )}
      </div>
    </Section>
  );
}
