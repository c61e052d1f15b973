import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { Notice } from "../../kit/Notice";
import { Sheet, Side, SideLink, Body, Section, Row } from "../../kit/Sheet";
import { gateways } from "../queries";
import { useTo, To } from "../room/places";
import { WithRooms, PaymentRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { Abilities, ABILITIES } from "./Abilities";
import { ModeConnection } from "./Connected";
import { REFUSED } from "./refused";

/** The stage Payments: the gateways there are, and one of them with its connections. */
export function Payments() {
  const { site: code = "", adapter } = useParams();
  const place = useTo();
  const asked = useQuery(gateways(code));
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const chosen = asked.data.find((one) => one.adapter === adapter) ?? asked.data[0];
  return (
    <WithRooms>
      <PaymentRooms />
      <Sheet tabIndex={-1} aria-label="Payments">
        <Side aria-label="Gateways">
          <ul>
            {asked.data.map((one) => (
              <li key={one.adapter}>
                <SideLink
                  to={place(`/s/${code}/payments/${one.adapter}`)}
                  className={one === chosen ? "active" : ""}
                  aria-current={one === chosen ? "page" : undefined}
                >
                  <strong>{one.name}</strong>
                  <span>{standing(one)}</span>
                </SideLink>
              </li>
            ))}
          </ul>
        </Side>
        {chosen ? (
          <Body>
            <Gateway key={chosen.adapter} code={code} gateway={chosen} />
          </Body>
        ) : null}
      </Sheet>
    </WithRooms>
  );
}

function standing(gateway: Schemas["GatewayView"]): string {
  const modes = gateway.connections.map((one) => one.mode);
  const how = modes.length ? [...modes].sort().reverse().join(" and ") : "not connected";
  return modes.length && !gateway.offered ? `${how}, not offered` : how;
}

const ABOUT: Record<string, string> = {
  "standin-cards": "A simulated card service that ships with Skurrow. No money moves in it.",
  "standin-wallet": "A simulated wallet that ships with Skurrow. No money moves in it.",
  "standin-debit": "A simulated direct debit that ships with Skurrow. No money moves in it.",
  transfer: "Buyers pay into your bank account. You upload its statements, and each payment finds its order.",
  invoice: "Buyers get an invoice and pay later. You mark the order as paid.",
  collection: "Buyers pay when they collect what they bought. You mark the order as paid.",
};

function Gateway({ code, gateway }: { code: string; gateway: Schemas["GatewayView"] }) {
  const byPerson = gateway.abilities.by_person;
  const [refused] = useState(
    () => REFUSED[new URLSearchParams(window.location.search).get("not_connected") ?? ""],
  );
  const [one] = gateway.connections;
  return (
    <>
      <header>
        <h1>{gateway.name}</h1>
        <p className="quiet">
          {ABOUT[gateway.adapter]}{" "}
          {gateway.page ? (
            <a href={gateway.page} target="_blank" rel="noreferrer">
              Its keys and test cards
            </a>
          ) : null}
        </p>
      </header>
      {refused ? (
        <Notice kind="error" title="It is not connected">
          {refused}
        </Notice>
      ) : null}
      {gateway.connections.length && !gateway.offered ? (
        <Notice kind="attention" title="It is connected, and no buyer is offered it">
          Add it <To to={`/s/${code}/ways-to-pay`}>at the counter</To>.
        </Notice>
      ) : null}
      <Section aria-label="Connections">
        <Row>
          {(["test", "live"] as const).map((mode) => (
            <ModeConnection
              key={mode}
              code={code}
              adapter={gateway.adapter}
              mode={mode}
              authorises={gateway.authorises}
              connection={gateway.connections.find((one) => one.mode === mode)}
            />
          ))}
        </Row>
      </Section>
      {byPerson ? null : (
        <Section aria-labelledby="abilities">
          <h2 id="abilities">What it can do</h2>
          <Abilities>
            {Object.entries(gateway.abilities)
              .filter(([name]) => ABILITIES[name])
              .map(([name, can]) => (
                <li key={name} className={can ? "can" : "cannot"}>
                  <b aria-hidden="true">{can ? "✓" : "–"}</b>
                  <span>{ABILITIES[name]?.[can ? 0 : 1] ?? name}</span>
                </li>
              ))}
          </Abilities>
          {gateway.abilities.recurring ? null : (
            <p className="quiet">
              It is never offered for what is charged again later, as subscriptions are.
            </p>
          )}
          {one ? <Terms of={one} /> : null}
        </Section>
      )}
    </>
  );
}

/** What a gateway says of its account: fees, limits, what statements show. */
function Terms({ of }: { of: Schemas["ConnectionView"] }) {
  const { fees } = of;
  const more = [
    Number(fees.cross_border) ? `${fees.cross_border} % more for a card of another country` : "",
    Number(fees.conversion) ? `${fees.conversion} % more in another currency than ${fees.own}` : "",
    Number(fees.monthly) ? `${fees.monthly} ${fees.own} a month` : "",
  ].filter(Boolean);
  return (
    <>
      <p>
        A charge costs {fees.percent} % and {fees.fixed}
        {more.length ? `; ${more.join(", ")}` : ""}.
      </p>
      <p className="quiet">
        It takes{" "}
        {of.limits
          .map((one) => `${one.currency} ${one.smallest ?? "0"} to ${one.largest ?? "any"}`)
          .join(", ")}
        . Buyers’ statements show <span className="mono">{of.statement}</span>.
      </p>
    </>
  );
}
