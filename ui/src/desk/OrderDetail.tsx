import { useQuery } from "@tanstack/react-query";
import { styled } from "styled-components";

import type { Schemas } from "../api/client";
import { Empty } from "../kit/Empty";
import { Notice } from "../kit/Notice";
import { Body, Section, Table } from "../kit/Sheet";
import { Stamp } from "../kit/Stamp";
import { percent } from "../kit/percent";
import { Waiting } from "./Waiting";
import { order, type Mode } from "./queries";

const Story = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  li {
    display: grid;
    grid-template-columns: 88px minmax(0, 1fr);
    gap: 12px;
    padding: 5px 0;
  }
  time {
    font: 13px/1.6 var(--mono);
    color: var(--pencil);
  }
`;

const REASONS: Record<string, string> = {
  no_funds: "not enough money in the account",
  lost: "the card was reported lost",
  expired: "the card has expired",
  card_details: "the card details had to be typed again",
  not_accepted: "the gateway no longer accepts the key; connect it again under Payments",
  other: "the bank gave no reason",
};

const date = (at: string) => new Date(at).toLocaleString("en-GB", { dateStyle: "long", timeStyle: "short" });
const clock = (at: string) => new Date(at).toLocaleTimeString("en-GB");

/** One order: what was bought, the charge, and everything that happened. */
export function OrderDetail({ code, mode, orderCode }: { code: string; mode: Mode; orderCode: string }) {
  const asked = useQuery(order(code, mode, orderCode));
  if (asked.isError) return <Empty title="No such order">There is no order {orderCode} in this book.</Empty>;
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const found = asked.data;
  const open = found.attempts.find((attempt) => attempt.state === "open");
  return (
    <Body>
      <header>
        <h1>
          {found.name} {mode === "test" ? <Stamp /> : null}
        </h1>
        <p className="quiet">
          Order <span className="mono">{found.code}</span>, {date(found.created_at)}, {found.email},{" "}
          {found.country}.{" "}
          {found.release === null ? "Made from the draft." : `Made under release ${found.release}.`}
        </p>
      </header>
      {open ? (
        <Notice kind="attention" title="The gateway has not said what became of the charge">
          It is asked again by itself{open.asks ? ` (${open.asks} so far)` : ""}. Nothing is charged twice.
        </Notice>
      ) : null}
      <Bought found={found} />
      <Charges found={found} />
      <Section aria-labelledby="story">
        <h2 id="story">What happened</h2>
        <Story>
          {found.events.map((event, i) => (
            <li key={i}>
              <time dateTime={event.at}>{clock(event.at)}</time>
              <span>{inWords(event)}</span>
            </li>
          ))}
        </Story>
      </Section>
    </Body>
  );
}

function Bought({ found }: { found: Schemas["OrderView"] }) {
  const quote = found.quote as unknown as Schemas["QuoteView"];
  return (
    <Section aria-label="What was bought">
      <Table>
        <tbody>
          {quote.lines.map((line) => (
            <tr key={line.price}>
              <th scope="row">
                {line.quantity > 1 ? `${line.quantity} × ` : ""}
                {line.name}
              </th>
              <td className="amount">{line.total}</td>
            </tr>
          ))}
          {quote.taxes.map((tax) => (
            <tr key={`${tax.place} ${tax.rate}`}>
              <th scope="row" className="quiet">
                {tax.name} {percent(tax.rate)} {tax.place}, included
              </th>
              <td className="amount pencil">{tax.amount}</td>
            </tr>
          ))}
          <tr>
            <th scope="row">
              <strong>{found.state === "paid" ? "Paid" : "To be paid"}</strong>
            </th>
            <td className="amount">
              <strong>
                {found.currency} {found.amount}
              </strong>
            </td>
          </tr>
        </tbody>
      </Table>
    </Section>
  );
}

function Charges({ found }: { found: Schemas["OrderView"] }) {
  return (
    <Section aria-labelledby="charges">
      <h2 id="charges">Charges</h2>
      {found.charges.length === 0 ? <p className="quiet">No money has moved.</p> : null}
      {found.charges.map((charge) => (
        <p key={charge.reference}>
          <span className="money">
            {charge.currency} {charge.amount}
          </span>{" "}
          by card ending in <span className="mono">{charge.card_ending}</span>, {date(charge.at)}
          <br />
          <span className="quiet">
            The gateway calls it <span className="mono">{charge.reference}</span>
          </span>
        </p>
      ))}
    </Section>
  );
}

function inWords(event: Schemas["EventView"]): string {
  const body = event.body as Record<string, string>;
  switch (event.kind) {
    case "order.placed":
      return `The order was placed: ${body.currency} ${body.amount}.`;
    case "charge.attempted":
      return `The gateway was asked to charge ${body.currency} ${body.amount}.`;
    case "charge.refused":
      return `The charge was refused: ${REASONS[body.reason ?? "other"] ?? body.reason}.`;
    case "charge.made":
      return `${body.currency} ${body.amount} was charged.`;
    case "order.paid":
      return "The order is paid.";
    case "charge.contradicted":
      return `The gateway's books and ours differ: ${body.why}. Somebody has to look.`;
    default:
      return event.kind;
  }
}
