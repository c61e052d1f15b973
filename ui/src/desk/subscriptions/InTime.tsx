// A subscription as a line in time.
import { styled } from "styled-components";
import type { Schemas } from "../../api/client";
import { day } from "../../kit/format/when";
import type { Mode } from "../queries";
import { To } from "../room/places";
import type { Past } from "./Standing";
import type { At } from "./subscription";
import { happened, REASONS } from "./subscriptionWords";

const Line = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  li {
    display: grid;
    grid-template-columns: 104px 15px minmax(0, 1fr) auto;
    gap: 0 12px;
    align-items: stretch;
  }
  li > * {
    padding: 6px 0;
  }
  time {
    font: 13px/1.7 var(--mono);
    color: var(--pencil);
  }
  .mark {
    position: relative;
    padding: 0;
  }
  .mark::before {
    content: "";
    position: absolute;
    left: 6px;
    top: 0;
    bottom: 0;
    width: 3px;
    background: var(--verdigris);
  }
  .mark::after {
    content: "";
    position: absolute;
    left: 1px;
    top: 11px;
    width: 9px;
    height: 9px;
    border: 2px solid var(--verdigris);
    background: var(--verdigris);
  }
  li.said .mark::after {
    display: none;
  }
  li.failed .mark::after {
    border-color: var(--madder);
    background: var(--sheet);
  }
  li.coming .mark::before {
    background: repeating-linear-gradient(to bottom, var(--edge) 0 4px, transparent 4px 8px);
  }
  li.coming .mark::after {
    background: var(--sheet);
    border-color: var(--edge);
  }
  li.coming > :not(.mark) {
    color: var(--pencil);
  }
  li.today .mark::after {
    display: none;
  }
  li.today > * {
    font-weight: 600;
  }
  li.first .mark::before {
    top: 11px;
  }
  .amount {
    font-family: var(--mono);
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
    text-align: right;
  }
  @media (max-width: 600px) {
    li {
      grid-template-columns: 88px 15px minmax(0, 1fr);
    }
    .amount {
      grid-column: 3;
      text-align: left;
      padding-top: 0;
    }
  }
`;

/** Events that a charge on the line says already. */
const SAID_BY_CHARGES = new Set(["charged", "restarted", "begun"]);

const KINDS: Record<Schemas["SubscriptionCharge"]["kind"], string> = {
  sale: "The order",
  renewal: "Renewal",
  change: "Change of plan",
  pay_off: "The rest at once",
  restart: "Started again",
};

export function InTime({ code, mode, found }: At) {
  const past: Past[] = [
    ...found.charges.map((charge) => ({ at: charge.fell_due, charge })),
    ...found.events
      .filter(({ kind }) => !SAID_BY_CHARGES.has(kind))
      .map((event) => ({ at: event.at, event })),
  ].sort((a, b) => Date.parse(a.at) - Date.parse(b.at));
  return (
    <Line>
      {past.map((one, i) =>
        "charge" in one ? (
          <Charged
            key={i}
            code={code}
            mode={mode}
            of={one.charge}
            currency={found.currency}
            first={i === 0}
          />
        ) : (
          <li key={i} className={i === 0 ? "said first" : "said"}>
            <time dateTime={one.at}>{day(one.event.on)}</time>
            <span className="mark" />
            <span>{happened(one.event)}</span>
          </li>
        ),
      )}
      <li className="today coming">
        <time dateTime={found.today}>{day(found.today)}</time>
        <span className="mark" />
        <span>
          {found.coming.length ? (mode === "test" ? "Today, in the test book" : "Today") : "Nothing to come"}
        </span>
      </li>
      {found.coming.map((one) => (
        <li key={one.on} className="coming">
          <time dateTime={one.on}>{day(one.on)}</time>
          <span className="mark" />
          <span>{one.from_balance ? `${one.from_balance} of it is paid with what is left` : "To come"}</span>
          <span className="amount">
            {found.currency} {one.total}
          </span>
        </li>
      ))}
    </Line>
  );
}

function Charged({
  code,
  mode,
  of,
  currency,
  first,
}: {
  code: string;
  mode: Mode;
  of: Schemas["SubscriptionCharge"];
  currency: string;
  first: boolean;
}) {
  const refused = of.attempts.filter(({ state }) => state === "refused");
  const last = refused.at(-1);
  const why = last ? (REASONS[last.reason ?? "other"] ?? "refused") : "";
  const tries = refused.length === 1 ? "once" : `${refused.length} times`;
  return (
    <li className={`${of.state === "paid" ? "" : "failed"} ${first ? "first" : ""}`}>
      <time dateTime={of.fell_due}>{day(of.on)}</time>
      <span className="mark" />
      <span>
        {KINDS[of.kind]} <To to={`/s/${code}/orders/${mode}/${of.code}`}>{of.code}</To>
        {of.state === "paid"
          ? refused.length && of.paid_on
            ? `, refused ${tries}, paid on ${day(of.paid_on)}`
            : ", paid"
          : of.state === "waiting"
            ? ", waits for its money"
            : refused.length
              ? `, refused ${tries}: ${why}`
              : ", not paid"}
        {of.from_balance ? `; ${of.from_balance} of it with what was left` : ""}
      </span>
      <span className="amount">
        {currency} {of.amount}
      </span>
    </li>
  );
}
