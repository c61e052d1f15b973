import { useInfiniteQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { NavLink, Navigate, useParams } from "react-router";
import { styled } from "styled-components";

import { api, data } from "../api/client";
import { Button } from "../kit/Button";
import { Empty } from "../kit/Empty";
import { Field } from "../kit/Field";
import { Sheet, Side, SideLink } from "../kit/Sheet";
import { OrderDetail } from "./OrderDetail";
import { Waiting } from "./Waiting";
import type { Mode } from "./queries";

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

const PAUSE_BETWEEN_LOOKS = 4000;

/** The stage Orders: the two books, and one order beside the list. */
export function Orders() {
  const { site: code = "", mode, code: orderCode } = useParams();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const book: Mode = mode === "live" ? "live" : "test";
  const asked = useInfiniteQuery({
    queryKey: ["site", code, "orders", book, "list", sought],
    queryFn: ({ pageParam }) =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/orders", {
          params: {
            path: { site: code, mode: book },
            query: { before: pageParam ?? undefined, search: sought },
          },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    refetchInterval: PAUSE_BETWEEN_LOOKS,
    placeholderData: (old) => old,
  });
  if (mode === undefined) return <Navigate to="test" replace />;
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const orders = asked.data.pages.flatMap((page) => page.orders);
  const chosen = orderCode ?? orders[0]?.code;
  return (
    <Page tabIndex={-1} aria-label="Orders" className={book}>
      <Side aria-label={`Orders of the ${book} book`}>
        <div className="top">
          <Books>
            <NavLink to={`/s/${code}/orders/test`}>Test book</NavLink>
            <NavLink to={`/s/${code}/orders/live`}>Live book</NavLink>
          </Books>
          <Field
            label="Find an order"
            bare
            placeholder="Code, name or email"
            value={search}
            onChange={setSearch}
          />
        </div>
        <ul>
          {orders.map((order) => (
            <li key={order.code}>
              <SideLink
                to={`/s/${code}/orders/${book}/${order.code}`}
                className={order.code === chosen && !orderCode ? "active" : ""}
              >
                <strong>{order.name}</strong>
                <span>
                  {order.currency} <span className="money">{order.amount}</span> ·{" "}
                  {order.state === "paid" ? "paid" : "not paid"}
                  <br />
                  {order.what}
                </span>
              </SideLink>
            </li>
          ))}
        </ul>
        {asked.hasNextPage ? (
          <div className="top" style={{ paddingTop: 8 }}>
            <Button onPress={() => void asked.fetchNextPage()} isPending={asked.isFetchingNextPage}>
              Show earlier orders
            </Button>
          </div>
        ) : null}
      </Side>
      {chosen ? (
        <OrderDetail key={chosen} code={code} mode={book} orderCode={chosen} />
      ) : (
        <Empty title={sought ? "No order fits" : book === "test" ? "No test sale yet" : "No sale yet"}>
          {sought
            ? "Try part of a name, an email or an order's code."
            : book === "test"
              ? "Open a checkout from the site and pay with a test card; the sale appears here by itself."
              : "Sales to real buyers are listed here, apart from all tests."}
        </Empty>
      )}
    </Page>
  );
}
