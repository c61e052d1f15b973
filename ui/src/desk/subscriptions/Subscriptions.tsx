// Subscriptions: a list with search and filters beside one subscription as a line in time.
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { NavLink, Navigate, useParams } from "react-router";
import { styled } from "styled-components";

import { type Schemas } from "../../api/client";
import { Choice } from "../../kit/fields/Choice";
import { Empty } from "../../kit/Empty";
import { FindableList } from "../../kit/fields/FindableList";
import { Sheet, SideLink } from "../../kit/Sheet";
import { day } from "../../kit/format/when";
import { Calendar } from "./Calendar";
import { OrderRooms, WithRooms } from "../room/StageRooms";
import { SubscriptionDetail } from "./SubscriptionDetail";
import { useSoldOnTape } from "../tape/soldAt";
import { Waiting } from "../room/Waiting";
import { To, useTo } from "../room/places";
import { prices, subscriptions, type Mode, type Which } from "../queries";
import { STATES } from "./subscriptionWords";

const Books = styled.div`
  display: flex;
  gap: 4px;
  border-bottom: 1px solid var(--hairline);
  margin: 0 -12px;
  padding: 0 12px;
  a {
    padding: 5px 8px 7px;
    text-decoration: none;
    color: var(--pencil);
    font-weight: 600;
    border-bottom: 3px solid transparent;
  }
  a.active {
    color: var(--ink);
    border-color: var(--verdigris);
  }
`;

/** The pages of the test book are hatched along their edge. */
const Page = styled(Sheet)`
  &.test > nav {
    padding-left: 8px;
    background: repeating-linear-gradient(-45deg, var(--edge) 0 2px, transparent 2px 7px) left / 7px 100%
      no-repeat;
  }
`;

const Column = styled.div`
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
`;

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
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const found = asked.data.pages.flatMap((page) => page.subscriptions);
  const counts = asked.data.pages[0]?.counts ?? {};
  const narrowed = Boolean(sought || show !== "all" || price || within);
  return (
    <WithRooms>
      <OrderRooms />
      <Page tabIndex={-1} aria-label="Subscriptions" className={book}>
        <FindableList
          label={`Subscriptions of the ${book} book`}
          find="Find a subscription"
          placeholder="Name, email or code"
          search={search}
          onSearch={setSearch}
          nothing="No subscription fits."
          above={
            <>
              <Books>
                <NavLink to={place(`/s/${code}/subscriptions/test`)}>Test book</NavLink>
                <NavLink to={place(`/s/${code}/subscriptions/live`)}>Live book</NavLink>
              </Books>
              <Choice
                label="Show subscriptions that are"
                bare
                value={show}
                options={FILTERS.map(([name, words]) => [name, withCount(words, counts[name])] as const)}
                onChange={setShow}
              />
              <PriceChoice code={code} value={price} onChange={setPrice} />
              <Choice
                label="Charged next"
                bare
                value={within}
                options={[
                  ["", "Charged at any time"],
                  ["7", "Charged within a week"],
                  ["31", "Charged within a month"],
                ]}
                onChange={setWithin}
              />
              <To to={`/s/${code}/move-over/${book}`}>Move members over</To>
            </>
          }
          more={
            asked.hasNextPage
              ? { load: () => void asked.fetchNextPage(), loading: asked.isFetchingNextPage }
              : undefined
          }
        >
          {found.map((one) => (
            <li key={one.code}>
              <SideLink
                to={place(`/s/${code}/subscriptions/${book}/${one.code}`)}
                className={one.code === chosen ? "active" : ""}
                aria-current={one.code === chosen ? "page" : undefined}
              >
                <strong>{one.name}</strong>
                <span>
                  {one.what}, {one.currency} <span className="money">{one.amount}</span> every {one.every}
                  <br />
                  {standing(one)}
                </span>
              </SideLink>
            </li>
          ))}
        </FindableList>
        <Column>
          {book === "test" ? <Calendar code={code} /> : null}
          {chosen ? (
            <SubscriptionDetail key={chosen} code={code} mode={book} of={chosen} />
          ) : (
            <Empty
              title={
                narrowed
                  ? "No subscription fits"
                  : book === "test"
                    ? "No test subscription yet"
                    : "No subscription yet"
              }
            >
              {narrowed
                ? "Try another state or price, or part of a name, an email or a code."
                : book === "test"
                  ? "Buy something that recurs at a checkout with a test card. Then move the calendar forward, and watch it renew."
                  : "What real buyers subscribe to is listed here, apart from all tests."}
            </Empty>
          )}
        </Column>
      </Page>
    </WithRooms>
  );
}

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
