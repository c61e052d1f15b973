// What was bought once: what became of it, its papers, and its parcel.
import { styled } from "styled-components";

import type { Schemas } from "../api/client";
import { money } from "../kit/format/money";
import { TextButton } from "../counter/look";
import { away } from "./accountParts";
import { day } from "./standing";

const Card = styled.section`
  padding: 14px 16px;
  border: 1px solid var(--rule);
  background: #fff;
  display: flex;
  flex-direction: column;
  gap: 8px;
  h3 {
    margin: 0;
    font: 650 17px/1.25 var(--heading);
  }
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li {
    padding: 5px 0;
  }
  .quiet {
    color: var(--soft);
    font-size: 15px;
  }
`;

/** What was bought, in a few words and its links; days are the shop's. */
export function MyPurchase({
  of,
  onGiveBack,
}: {
  of: Schemas["MyPurchase"];
  onGiveBack: (order: string) => void;
}) {
  const amount = money(of.currency, of.amount);
  const waits = of.state === "waiting";
  return (
    <Card aria-label={of.what}>
      <h3>{of.what}</h3>
      <p className="quiet">
        {waits
          ? `${amount}, ordered on ${day(of.on)}. It waits for your payment.`
          : of.state === "cancelled"
            ? `Cancelled. Ordered on ${day(of.on)}.`
            : `${amount}, paid on ${day(of.on)}.`}
        {of.given_back ? ` ${money(of.currency, of.given_back)} of it was given back.` : ""}
      </p>
      {of.sent.map((one, i) => (
        <p key={`${one.on} ${one.follow ?? i}`}>
          Sent on {day(one.on)}
          {one.names.length ? `: ${one.names.join("; ")}` : ""}.{" "}
          {one.follow ? (
            <a href={one.follow} rel="noreferrer noopener" target="_blank">
              See where it is
            </a>
          ) : null}
        </p>
      ))}
      {of.promises.map((one) => (
        <p key={one.name}>
          {one.name} can be given back until {day(one.until)}.
        </p>
      ))}
      <ul>
        <li>
          <a href={of.page} {...away}>
            {waits ? "See how to pay it" : `Order ${of.code}`}
          </a>
        </li>
        {of.papers.map((one) => (
          <li key={one.number}>
            <a href={one.pdf} download>
              {one.kind.charAt(0).toUpperCase() + one.kind.slice(1)} {one.number}
            </a>
          </li>
        ))}
        {of.state === "cancelled" ? null : (
          <li>
            <TextButton type="button" onClick={() => onGiveBack(of.code)}>
              Give something back
            </TextButton>
          </li>
        )}
      </ul>
    </Card>
  );
}
