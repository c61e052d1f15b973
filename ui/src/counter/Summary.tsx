import { styled } from "styled-components";

import { percent } from "../kit/percent";
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
        {quote.lines.map((line) => (
          <Entry
            key={line.price}
            label={line.quantity > 1 ? `${line.quantity} × ${line.name}` : line.name}
            value={line.total}
          />
        ))}
        {quote.taxes.map((tax) => (
          <Entry
            key={`${tax.place} ${tax.rate}`}
            soft
            label={`with ${tax.name} ${percent(tax.rate)} (${tax.place})`}
            value={tax.amount}
          />
        ))}
        <dt className="total">{totalLabel}</dt>
        <dd className="total">
          {quote.currency} {quote.due_today}
        </dd>
      </dl>
    </Strip>
  );
}

function Entry({ label, value, soft }: { label: string; value: string; soft?: boolean }) {
  return (
    <>
      <dt className={soft ? "soft" : ""}>{label}</dt>
      <dd className={soft ? "soft" : ""}>{value}</dd>
    </>
  );
}
