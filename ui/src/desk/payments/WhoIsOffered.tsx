// Which stand-in buyers are offered which way, and why not the others.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Sentence, SlotMoney } from "../../kit/fields/Sentence";
import { Section, Table } from "../../kit/Sheet";
import { useSite, paymentCosts } from "../queries";

/** For an amount: which stand-in buyer could pay it with what, and why not. */
export function WhoIsOffered({ code, base }: { code: string; base: string }) {
  const change = useSite(code).data?.change ?? 0;
  const [amount, setAmount] = useState("50.00");
  const found = useQuery(paymentCosts(code, change, { amount })).data;
  const ways = found?.costs ?? [];
  return (
    <Section aria-labelledby="offered">
      <h2 id="offered">Who is offered what</h2>
      <Sentence>
        For a basket of <SlotMoney label="Basket" currency={base} value={amount} onChange={setAmount} />,
        collected:
      </Sentence>
      {found?.buyers.length ? (
        <div style={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Buyers by ways to pay">
          <Table>
            <thead>
              <tr>
                <th scope="col">Stand-in buyer</th>
                {ways.map((way) => (
                  <th scope="col" key={way.gateway}>
                    {way.label}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.buyers.map((buyer) => (
                <tr key={buyer.buyer}>
                  <th scope="row">{buyer.name}</th>
                  {ways.map((way) => {
                    const why = buyer.offers[way.gateway];
                    return (
                      <td key={way.gateway} className={why ? "pencil" : ""}>
                        {why ?? "✓ offered"}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      ) : (
        <p className="quiet">Connect a gateway and add stand-in buyers, and this says who could pay how.</p>
      )}
    </Section>
  );
}
