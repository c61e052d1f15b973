// What subscriptions will bring in: recurring income, the months to come, and how many leave.
import { useQuery } from "@tanstack/react-query";
import { Navigate, useParams } from "react-router";
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { Books } from "../room/BookList";
import { OrderRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { useTo } from "../room/places";
import { outlook, type Mode } from "../queries";

const Sums = styled.p`
  font-size: 22px;
  line-height: 1.5;
  .amount {
    font-family: var(--mono);
    font-variant-numeric: tabular-nums;
  }
`;

/** A bar drawn into its cell; its amount stands beside it. */
const Bar = styled.td`
  width: 44%;
  span {
    display: block;
    height: 12px;
    background: var(--verdigris);
  }
`;

const month = (of: string) =>
  new Date(`${of}T00:00:00Z`).toLocaleDateString("en-GB", {
    month: "long",
    year: "numeric",
    timeZone: "UTC",
  });

export function Outlook() {
  const { site: code = "", mode } = useParams();
  const place = useTo();
  const book: Mode = mode === "live" ? "live" : "test";
  const asked = useQuery(outlook(code, book));
  if (mode === undefined) return <Navigate to={place(`/s/${code}/outlook/test`)} replace />;
  const found = asked.data;
  if (!found) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <WithRooms>
      <OrderRooms />
      <Sheet tabIndex={-1} aria-label="Outlook">
        <Body>
          <header>
            <h1>Outlook {book === "test" ? <Stamp /> : null}</h1>
            <Books code={code} room="outlook" wide />
          </header>
          {found.running ? <Foreseen found={found} /> : <p>No subscription is running in this book.</p>}
          {found.churn.some((one) => one.before || one.began || one.ended) ? <Leaving found={found} /> : null}
        </Body>
      </Sheet>
    </WithRooms>
  );
}

function Foreseen({ found }: { found: Schemas["OutlookView"] }) {
  const currencies = Object.keys(found.income);
  return (
    <>
      <Section aria-labelledby="income">
        <h2 id="income">Recurring income</h2>
        <Sums>
          {currencies.map((currency) => (
            <span key={currency} style={{ display: "block" }}>
              <span className="amount">
                {currency} {found.income[currency]}
              </span>{" "}
              a month
            </span>
          ))}
        </Sums>
        <p className="quiet">
          What active and failing subscriptions are charged, spread over the months of their rhythm: 240.00 a
          year is 20.00 a month. As priced, after coupons that last for ever, without delivery. Trials,
          pauses, instalments, and what is about to end, are not in it.
        </p>
      </Section>
      {currencies.map((currency) => (
        <Months key={currency} found={found} currency={currency} />
      ))}
    </>
  );
}

function Months({ found, currency }: { found: Schemas["OutlookView"]; currency: string }) {
  const amounts = found.expected.map((one) => Number(one.amounts[currency] ?? "0"));
  const most = Math.max(...amounts, 1);
  return (
    <Section aria-labelledby={`coming-${currency}`}>
      <h2 id={`coming-${currency}`}>To come, in {currency}</h2>
      <Table>
        <tbody>
          {found.expected.map((one, i) => (
            <tr key={one.month}>
              <th scope="row">{month(one.month)}</th>
              <Bar aria-hidden>
                <span style={{ width: `${((amounts[i] ?? 0) / most) * 100}%` }} />
              </Bar>
              <td className="amount">{one.amounts[currency] ?? "nothing"}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="quiet">
        Every charge that is to come from what is running now, on its day: as priced, after coupons, without
        delivery.
      </p>
    </Section>
  );
}

function Leaving({ found }: { found: Schemas["OutlookView"] }) {
  const shown = found.churn.filter((one) => one.before || one.began || one.ended);
  return (
    <Section aria-labelledby="churn">
      <h2 id="churn">Churn</h2>
      <Table>
        <thead>
          <tr>
            <th scope="col">Month</th>
            <th scope="col" className="amount">
              At its beginning
            </th>
            <th scope="col" className="amount">
              Began
            </th>
            <th scope="col" className="amount">
              Ended
            </th>
            <th scope="col" className="amount">
              Churn
            </th>
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <tr key={one.month}>
              <th scope="row">{month(one.month)}</th>
              <td className="amount">{one.before}</td>
              <td className="amount">{one.began}</td>
              <td className="amount">{one.ended}</td>
              <td className="amount">{one.share === null ? "" : `${one.share} %`}</td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="quiet">
        Of the subscriptions that ran when a month began, the share that ended in it. Trials count from their
        first payment, and what is paused still runs; instalments are not counted.
      </p>
    </Section>
  );
}
