// What a sale costs at each connected gateway, for a basket and for a year of such sales.
import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useParams } from "react-router";

import { Notice } from "../../kit/Notice";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { PaymentRooms, WithRooms } from "../room/StageRooms";
import { To } from "../room/places";
import { paymentCosts, useSite } from "../queries";

export function PaymentCosts() {
  const { site: code = "" } = useParams();
  const site = useSite(code).data;
  const currencies = site?.currencies ?? ["EUR"];
  const [amount, setAmount] = useState("50.00");
  const [currency, setCurrency] = useState<string>();
  const [charges, setCharges] = useState("500");
  const [abroad, setAbroad] = useState<"home" | "abroad">("home");
  const many = /^\d{1,6}$/.test(charges.trim()) ? Number(charges) : undefined;
  const chosen = currency ?? currencies[0] ?? "EUR";
  const query = useDeferredValue({
    amount,
    currency: chosen,
    charges: many ?? 0,
    abroad: abroad === "abroad",
  });
  const asked = useQuery(paymentCosts(code, site?.change ?? 0, query));
  const found = asked.error ? undefined : asked.data;
  const least = found?.costs.filter((one) => !one.why_not).map((one) => Number(one.year));
  const cheapest = least?.length ? Math.min(...least) : undefined;
  return (
    <WithRooms>
      <PaymentRooms />
      <Sheet tabIndex={-1} aria-label="What payments cost">
        <Body>
          <header>
            <h1>What payments cost</h1>
          </header>
          <Sentence
            problems={[
              asked.error?.message,
              many === undefined ? "Write a whole number of sales, up to 999999." : undefined,
            ]}
          >
            A basket of{" "}
            <SlotText
              label="Basket"
              money
              currency={chosen}
              unsaid
              value={amount}
              onChange={setAmount}
              invalid={Boolean(asked.error)}
            />{" "}
            <SlotChoice
              label="Currency"
              value={chosen}
              options={currencies.map((one) => [one, one] as const)}
              onChange={setCurrency}
            />
            , paid with a card{" "}
            <SlotChoice
              label="Where the card is from"
              value={abroad}
              options={[
                ["home", "from home"],
                ["abroad", "from another country"],
              ]}
              onChange={setAbroad}
            />
            , and{" "}
            <SlotText
              label="Sales a year"
              value={charges}
              onChange={setCharges}
              inputMode="numeric"
              invalid={many === undefined}
            />{" "}
            such sales a year.
          </Sentence>
          {found && !found.costs.length ? (
            <Notice>
              Nothing is connected. <To to={`/s/${code}/payments`}>Connect a gateway</To>, and its cost stands
              here.
            </Notice>
          ) : null}
          {found?.costs.length ? (
            <Section aria-label="Compared">
              <div style={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Costs compared">
                <Table>
                  <thead>
                    <tr>
                      <th scope="col">Way to pay</th>
                      <th scope="col" className="amount">
                        It takes
                      </th>
                      <th scope="col" className="amount">
                        You keep
                      </th>
                      <th scope="col" className="amount">
                        A year
                      </th>
                    </tr>
                  </thead>
                  <tbody>
                    {found.costs.map((one) => (
                      <tr key={one.gateway}>
                        <th scope="row">
                          {one.label}
                          {!one.why_not && Number(one.year) === cheapest ? " · least in a year" : ""}
                          <br />
                          <span className="quiet">
                            {[...one.parts, Number(one.monthly) ? `months: ${one.monthly} ${one.own}` : ""]
                              .filter(Boolean)
                              .join("; ") || "nothing"}
                            {one.why_not ? `. ${one.why_not}` : ""}
                          </span>
                        </th>
                        <td className="amount">{one.takes}</td>
                        <td className="amount">{one.keeps}</td>
                        <td className="amount">{one.year}</td>
                      </tr>
                    ))}
                  </tbody>
                </Table>
              </div>
              <p className="quiet">
                In {found.currency}, as the gateways themselves say, before tax. What people do by hand, and
                what a bank asks for an account, is not in it.
              </p>
            </Section>
          ) : null}
        </Body>
      </Sheet>
    </WithRooms>
  );
}
