import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Navigate, useNavigate, useParams } from "react-router";

import { api, data } from "../../api/client";
import { Choice } from "../../kit/fields/Choice";
import { Confirm } from "../../kit/Confirm";
import { Notice } from "../../kit/Notice";
import { OrderDetail } from "./OrderDetail";
import { BookList } from "../room/BookList";
import { useSoldOnTape } from "../tape/soldAt";
import { useTo } from "../room/places";
import { orders as ordersOf, refresh, testBook, type Mode, type Show } from "../queries";
import { useRole } from "../room/role";

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
  const orders = asked.data?.pages.flatMap((page) => page.orders) ?? [];
  return (
    <BookList
      code={code}
      room="orders"
      title="Orders"
      one="order"
      book={book}
      asked={asked}
      found={orders}
      chosen={chosen}
      search={search}
      onSearch={setSearch}
      placeholder="Name, email or number"
      narrowed={Boolean(sought) || show !== "all"}
      filters={
        <>
          <Choice label="Show orders that" bare value={show} options={FILTERS} onChange={setShow} />
          {book === "test" && (orders.length || show !== "all") ? <ClearTestBook code={code} /> : null}
        </>
      }
      line={(order) => (
        <>
          {order.currency} <span className="money">{order.amount}</span> · {STATES[order.state]}
          {order.held ? ", held" : ""}
          {order.given_back ? `, ${order.given_back} given back` : ""}
          <br />
          {order.what}
        </>
      )}
      detail={(of) => <OrderDetail key={of} code={code} mode={book} orderCode={of} />}
      nothing={{
        yet: "sale",
        narrowed: sought
          ? "Try part of a name, an email or an order's code."
          : "No order of this book is in that state.",
        test: "Pay at a checkout with a test card, here or opened from the site; the sale appears here by itself.",
        live: "Sales to real buyers are listed here, apart from all tests.",
      }}
    />
  );
}

const FILTERS = [
  ["all", "All orders"],
  ["waiting", "Waiting for money"],
  ["held", "Held for a person"],
  ["paid", "Paid"],
  ["open", "Not paid"],
] as const;

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
