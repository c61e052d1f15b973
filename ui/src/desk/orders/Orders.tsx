import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { NavLink, Navigate, useNavigate, useParams } from "react-router";
import { styled } from "styled-components";

import { api, data } from "../../api/client";
import { Choice } from "../../kit/fields/Choice";
import { Confirm } from "../../kit/Confirm";
import { Empty } from "../../kit/Empty";
import { FindableList } from "../../kit/fields/FindableList";
import { Notice } from "../../kit/Notice";
import { Sheet, SideLink } from "../../kit/Sheet";
import { OrderDetail } from "./OrderDetail";
import { OrderRooms, WithRooms } from "../room/StageRooms";
import { useSoldOnTape } from "../tape/soldAt";
import { Waiting } from "../room/Waiting";
import { useTo } from "../room/places";
import { orders as ordersOf, refresh, testBook, type Mode, type Show } from "../queries";
import { useRole } from "../room/role";

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

/** The stage Orders: the two books, and one order beside the list. What happens arrives by itself. */
export function Orders() {
  const { site: code = "", mode, code: orderCode } = useParams();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const book: Mode = mode === "live" ? "live" : "test";
  const [show, setShow] = useState<Show>("all");
  const asked = useInfiniteQuery(ordersOf(code, book, sought, show));
  const place = useTo();
  const chosen = orderCode ?? asked.data?.pages[0]?.orders[0]?.code;
  useSoldOnTape(chosen);
  if (mode === undefined) return <Navigate to={place(`/s/${code}/orders/test`)} replace />;
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const orders = asked.data.pages.flatMap((page) => page.orders);
  return (
    <WithRooms>
      <OrderRooms />
      <Page tabIndex={-1} aria-label="Orders" className={book}>
        <FindableList
          label={`Orders of the ${book} book`}
          find="Find an order"
          placeholder="Name, email or number"
          search={search}
          onSearch={setSearch}
          nothing="No order fits."
          above={
            <>
              <Books>
                <NavLink to={place(`/s/${code}/orders/test`)}>Test book</NavLink>
                <NavLink to={place(`/s/${code}/orders/live`)}>Live book</NavLink>
              </Books>
              <Choice
                label="Show orders that"
                bare
                value={show}
                options={[
                  ["all", "All orders"],
                  ["waiting", "Waiting for money"],
                  ["held", "Held for a person"],
                  ["paid", "Paid"],
                  ["open", "Not paid"],
                ]}
                onChange={setShow}
              />
              {book === "test" && (orders.length || show !== "all") ? <ClearTestBook code={code} /> : null}
            </>
          }
          more={
            asked.hasNextPage
              ? { load: () => void asked.fetchNextPage(), loading: asked.isFetchingNextPage }
              : undefined
          }
        >
          {orders.map((order) => (
            <li key={order.code}>
              <SideLink
                to={place(`/s/${code}/orders/${book}/${order.code}`)}
                className={order.code === chosen ? "active" : ""}
                aria-current={order.code === chosen ? "page" : undefined}
              >
                <strong>{order.name}</strong>
                <span>
                  {order.currency} <span className="money">{order.amount}</span> · {STATES[order.state]}
                  {order.held ? ", held" : ""}
                  {order.given_back ? `, ${order.given_back} given back` : ""}
                  <br />
                  {order.what}
                </span>
              </SideLink>
            </li>
          ))}
        </FindableList>
        {chosen ? (
          <OrderDetail key={chosen} code={code} mode={book} orderCode={chosen} />
        ) : (
          <Empty
            title={
              sought || show !== "all"
                ? "No order fits"
                : book === "test"
                  ? "No test sale yet"
                  : "No sale yet"
            }
          >
            {show !== "all" && !sought
              ? "No order of this book is in that state."
              : sought
                ? "Try part of a name, an email or an order's code."
                : book === "test"
                  ? "Try a checkout out under Checkouts, or open one from the site and pay with a test card; the sale appears here by itself."
                  : "Sales to real buyers are listed here, apart from all tests."}
          </Empty>
        )}
      </Page>
    </WithRooms>
  );
}

const STATES = { paid: "paid", open: "not paid", waiting: "waiting", cancelled: "cancelled" } as const;

/** One press that takes away everything that was bought in tests, asked about once more. */
function ClearTestBook({ code }: { code: string }) {
  const book = useQuery(testBook(code)).data;
  const { mayConfigure } = useRole(code);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const place = useTo();
  const clear = useMutation({
    mutationFn: () =>
      data(api.DELETE("/desk/api/sites/{site}/test-book", { params: { path: { site: code } } })),
    onSuccess: async () => {
      await navigate(place(`/s/${code}/orders/test`));
      await refresh(queries, code);
    },
  });
  if (!book || !mayConfigure) return null;
  const many =
    book.orders === 1
      ? "the one test order and everything that hangs on it"
      : `all ${book.orders} test orders and everything that hangs on them`;
  return (
    <div>
      <Confirm
        look="plain"
        question={`Remove ${many}? Live sales stay.`}
        sure="Clear the test book"
        isPending={clear.isPending}
        onConfirm={() => clear.mutate()}
      >
        Clear the test book
      </Confirm>
      {clear.error ? <Notice kind="error">{clear.error.message}</Notice> : null}
    </div>
  );
}
