import type { ReactNode } from "react";
import { styled } from "styled-components";

import { grouped, money } from "../kit/format/money";
import { percent } from "../kit/format/percent";
import type { Quote } from "./boot";

const Strip = styled.div`
  font-family: var(--mono);
  font-size: 15px;
  font-variant-numeric: tabular-nums;
  border: 1px solid var(--rule);
  border-top: 1px dashed var(--edge);
  background: #fff;
  padding: 12px 14px;
  dl {
    margin: 0;
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    row-gap: 4px;
  }
  dt,
  dd {
    margin: 0;
  }
  dd {
    text-align: right;
    white-space: nowrap;
    padding-left: 16px;
  }
  .soft {
    color: var(--soft);
  }
  .total {
    font-weight: 700;
    font-size: 17px;
    border-top: 1px dashed var(--rule);
    padding-top: 10px;
    margin-top: 6px;
  }
`;

/** What is bought and due, as the server has computed it: nothing is reckoned here. */
export function Summary({ quote, totalLabel }: { quote: Quote; totalLabel: string }) {
  return (
    <Strip>
      <dl>
        {quote.lines.map((line, i) => (
          <Entry
            key={`${line.price} ${i}`}
            label={line.quantity > 1 ? `${line.quantity} × ${line.name}` : line.name}
            value={grouped(line.subtotal)}
          />
        ))}
        {quote.discounts.map((one, i) => (
          <Entry
            key={`${one.coupon ?? one.name} ${i}`}
            label={`${one.name}, ${one.words}`}
            value={isZero(one.amount) ? "later" : grouped(`-${one.amount}`)}
          />
        ))}
        {quote.delivery ? (
          <Entry
            label={quote.delivery.name}
            value={isZero(quote.delivery.amount) ? "free" : grouped(quote.delivery.amount)}
          />
        ) : null}
        {quote.untaxed_total && !isZero(quote.untaxed_total) ? (
          <Entry label="less tax, which is not due here" value={grouped(`-${quote.untaxed_total}`)} />
        ) : null}
        {quote.taxes
          .filter((tax) => tax.name !== "No tax")
          .map((tax) => (
            <Entry
              key={`${tax.place} ${tax.name} ${tax.rate}`}
              soft={quote.tax_included}
              label={`${quote.tax_included ? "with" : "plus"} ${tax.name} ${percent(tax.rate)} (${tax.place})`}
              value={grouped(tax.amount)}
            />
          ))}
        <dt className="total">{totalLabel}</dt>
        <dd className="total">{money(quote.currency, quote.due_today)}</dd>
      </dl>
    </Strip>
  );
}

const isZero = (amount: string) => /^0(\.0+)?$/.test(amount);

const Dates = styled.div`
  ul {
    margin: 6px 0 0;
    padding: 0;
    list-style: none;
    columns: 2 200px;
    column-gap: 28px;
    font-size: 15px;
    font-variant-numeric: tabular-nums;
  }
  li {
    display: flex;
    justify-content: space-between;
    gap: 12px;
    padding: 2px 0;
    break-inside: avoid;
    border-bottom: 1px solid var(--rule);
  }
  summary {
    cursor: pointer;
    padding: 6px 0;
  }
`;

/** What is paid now (or, where the order `waits` for it, in the days to come) and at which later dates, right above the button. */
export function Later({ quote, waits }: { quote: Quote; waits: boolean }) {
  const now = <strong>{money(quote.currency, quote.due_today)}</strong>;
  if (waits && !quote.later.length && !isZero(quote.due_today))
    return <p>You order now, and pay {now} once. Nothing is charged later.</p>;
  if (!quote.later.length) return <p>You pay {now} now, once. Nothing is charged later.</p>;
  const free = isZero(quote.due_today);
  return (
    <div>
      <LaterDates quote={quote}>
        <p>{free ? "You pay nothing now, and later:" : <>You pay {now} now, and later:</>}</p>
      </LaterDates>
      {quote.plan.some((text) => text.includes("until you cancel")) ? (
        <p style={{ marginTop: 8 }}>
          {free
            ? `Nothing is charged if you cancel before ${date(quote.later[0]?.on ?? "")}. `
            : "You can cancel by yourself, at any time. "}
          The mail that you get has the link.
        </p>
      ) : null}
      {free && !quote.keeps ? (
        <p style={{ marginTop: 8 }}>No card is needed now. A mail asks for one before that day.</p>
      ) : null}
    </div>
  );
}

/** The plan in words, and the days on which something is charged later. */
export function LaterDates({ quote, children }: { quote: Quote; children: ReactNode }) {
  return (
    <Dates>
      {children}
      {quote.plan.map((text) => (
        <p key={text}>{text}</p>
      ))}
      <ul aria-label="Later charges">
        {quote.later.map((day) => (
          <li key={day.on}>
            <span>{date(day.on)}</span>
            <span>{money(quote.currency, day.total)}</span>
          </li>
        ))}
      </ul>
    </Dates>
  );
}

const date = (on: string) =>
  new Date(`${on}T12:00:00Z`).toLocaleDateString("en-GB", { dateStyle: "long", timeZone: "UTC" });

function Entry({ label, value, soft }: { label: string; value: string; soft?: boolean }) {
  return (
    <>
      <dt className={soft ? "soft" : ""}>{label}</dt>
      <dd className={soft ? "soft" : ""}>{value}</dd>
    </>
  );
}
