import { useQuery } from "@tanstack/react-query";
import { styled } from "styled-components";
import { Empty } from "../../kit/Empty";
import { Notice } from "../../kit/Notice";
import { Body, Section } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { type Mode, order } from "../queries";
import { To } from "../room/places";
import { Waiting } from "../room/Waiting";
import { Held, Awaited, Disputed, GivingBack } from "./Attention";
import { Bought, Buyer } from "./Bought";
import { Charges, PapersOf } from "./Charges";
import { inWords } from "./orderWords";
import { clock, whenInFull } from "../../kit/format/when";
import { Parcel } from "./Parcel";
import { Refunds } from "./Refunds";
import { TakeOut } from "./TakeOut";

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
          Order <span className="mono">{found.code}</span>, {whenInFull(found.created_at)}, {found.email},{" "}
          {found.buyer.country_name}.{" "}
          {found.release === null ? "Made from the draft." : `Made under release ${found.release}.`}
        </p>
      </header>
      {found.subscriptions.map((one) => (
        <p key={one.code}>
          {one.began ? "It began the subscription" : "It is a charge of the subscription"}{" "}
          <To to={`/s/${code}/subscriptions/${mode}/${one.code}`}>
            {one.what}, <span className="mono">{one.code}</span>
          </To>
          .
        </p>
      ))}
      {found.review ? <Held code={code} mode={mode} found={found} review={found.review} /> : null}
      {found.awaited ? <Awaited code={code} mode={mode} found={found} awaited={found.awaited} /> : null}
      {open && !found.awaited ? (
        <Notice kind="attention" title="The gateway has not said what became of the charge">
          It is asked again by itself{open.asks ? ` (${open.asks} so far)` : ""}. Nothing is charged twice.
        </Notice>
      ) : null}
      <GivingBack code={code} mode={mode} found={found} />
      {found.disputes.map((one) => (
        <Disputed key={one.reference} of={one} />
      ))}
      <Bought found={found} />
      <Buyer of={found.buyer} />
      <Parcel code={code} mode={mode} found={found} />
      <Charges found={found} />
      <Refunds code={code} mode={mode} found={found} />
      <PapersOf code={code} found={found} />
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
      {mode === "test" ? <TakeOut code={code} found={found} /> : null}
    </Body>
  );
}
