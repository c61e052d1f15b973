// Subscriptions: a list with search and filters beside one subscription as a line in time.
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Navigate, useParams } from "react-router";

import { type Schemas } from "../../api/client";
import { Choice } from "../../kit/fields/Choice";
import { day } from "../../kit/format/when";
import { Calendar } from "./Calendar";
import { BookList } from "../room/BookList";
import { SubscriptionDetail } from "./SubscriptionDetail";
import { useSoldOnTape } from "../tape/soldAt";
import { To, useTo } from "../room/places";
import { prices, subscriptions, type Mode, type Which } from "../queries";
import { STATES } from "./subscriptionWords";

const FILTERS: readonly (readonly [Which["show"], string])[] = [
  ["all", "All of them"],
  ["running", "Running"],
  ["trial", "In a trial"],
  ["active", "Active"],
  ["failing", "Payment failing"],
  ["ending", "About to end"],
  ["paused", "Paused"],
  ["ended", "Ended"],
  ["completed", "Paid off"],
];

export function Subscriptions() {
  const { site: code = "", mode, code: chosenCode } = useParams();
  const place = useTo();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const [show, setShow] = useState<Which["show"]>("all");
  const [price, setPrice] = useState("");
  const [within, setWithin] = useState("");
  const book: Mode = mode === "live" ? "live" : "test";
  const asked = useInfiniteQuery(subscriptions(code, book, { search: sought, show, price, within }));
  const chosen = chosenCode ?? asked.data?.pages[0]?.subscriptions[0]?.code;
  useSoldOnTape(chosen);
  if (mode === undefined) return <Navigate to={place(`/s/${code}/subscriptions/test`)} replace />;
  const found = asked.data?.pages.flatMap((page) => page.subscriptions) ?? [];
  const counts = asked.data?.pages[0]?.counts ?? {};
  return (
    <BookList
      code={code}
      room="subscriptions"
      title="Subscriptions"
      one="subscription"
      book={book}
      asked={asked}
      found={found}
      chosen={chosen}
      search={search}
      onSearch={setSearch}
      placeholder="Name, email or code"
      narrowed={Boolean(sought || show !== "all" || price || within)}
      filters={
        <>
          <Choice
            label="Show subscriptions that are"
            bare
            value={show}
            options={FILTERS.map(([name, words]) => [name, withCount(words, counts[name])] as const)}
            onChange={setShow}
          />
          <PriceChoice code={code} value={price} onChange={setPrice} />
          <Choice label="Charged next" bare value={within} options={WITHIN} onChange={setWithin} />
          <To to={`/s/${code}/move-over/${book}`}>Move members over</To>
        </>
      }
      line={(one) => (
        <>
          {one.what}, {one.currency} <span className="money">{one.amount}</span> every {one.every}
          <br />
          {standing(one)}
        </>
      )}
      above={book === "test" ? <Calendar code={code} /> : null}
      detail={(of) => <SubscriptionDetail key={of} code={code} mode={book} of={of} />}
      nothing={{
        yet: "subscription",
        narrowed: "Try another state or price, or part of a name, an email or a code.",
        test: "Buy something that recurs at a checkout with a test card. Then move the calendar forward, and watch it renew.",
        live: "What real buyers subscribe to is listed here, apart from all tests.",
      }}
    />
  );
}

const WITHIN = [
  ["", "Charged at any time"],
  ["7", "Charged within a week"],
  ["31", "Charged within a month"],
] as const;

const withCount = (words: string, count: number | undefined) => (count ? `${words} (${count})` : words);

function PriceChoice({
  code,
  value,
  onChange,
}: {
  code: string;
  value: string;
  onChange: (to: string) => void;
}) {
  const listed = useQuery(prices(code, "")).data ?? [];
  const recurring = listed.filter((one) => one.kind === "recurring" || one.kind === "instalments");
  return (
    <Choice
      label="Of a price"
      bare
      value={value}
      options={[["", "Of any price"], ...recurring.map((one) => [one.price, one.words] as const)]}
      onChange={onChange}
    />
  );
}

function standing(one: Schemas["SubscriptionSummary"]): string {
  if (one.ends_on) return `${STATES[one.state]}, ends on ${day(one.ends_on)}`;
  if (one.pausing) return `${STATES[one.state]}, about to pause`;
  if (one.state === "failing" && one.next_on) return `${STATES.failing} since ${day(one.next_on)}`;
  return one.next_on ? `${STATES[one.state]}, next on ${day(one.next_on)}` : STATES[one.state];
}
