// What the desk asks the server, and under which names the answers are kept.
import { infiniteQueryOptions, queryOptions, useQuery, type QueryClient } from "@tanstack/react-query";

import { api, data, type Schemas } from "../api/client";
import type { paths } from "../api/generated/schema";
import type { ListKind } from "./editing/editHistory";

export const me = queryOptions({
  queryKey: ["me"],
  queryFn: () => data(api.GET("/desk/api/me")),
  staleTime: 60_000,
});

/** What is usual in each country; it does not change while the desk is open. */
export const countries = queryOptions({
  queryKey: ["countries"],
  queryFn: () => data(api.GET("/desk/api/countries")),
  staleTime: Infinity,
});

const at = (code: string) => ({ params: { path: { site: code } } });

export const site = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "itself"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}", at(code))),
  });

export const parts = (code: string, kind: ListKind, search: string) =>
  infiniteQueryOptions({
    queryKey: ["site", code, "list", kind, search],
    queryFn: ({ pageParam }) =>
      data(
        api.GET("/desk/api/sites/{site}/parts/{kind}", {
          params: { path: { site: code, kind }, query: { search, after: pageParam } },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    placeholderData: (old) => old,
  });

export const archived = (code: string, kind: ListKind) =>
  queryOptions({
    queryKey: ["site", code, "archived", kind],
    queryFn: () =>
      data(api.GET("/desk/api/sites/{site}/archived/{kind}", { params: { path: { site: code, kind } } })),
  });

export const running = (code: string, product: string) =>
  queryOptions({
    queryKey: ["site", code, "running", product],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/products/{product_id}/running", {
          params: { path: { site: code, product_id: product } },
        }),
      ),
  });

export const part = (code: string, kind: Schemas["Part"]["kind"], id: string) =>
  queryOptions({
    queryKey: ["site", code, "part", kind, id],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
          params: { path: { site: code, kind, part_id: id } },
        }),
      ),
  });

export const prices = (code: string, search: string) =>
  queryOptions({
    queryKey: ["site", code, "prices", search],
    queryFn: () =>
      data(api.GET("/desk/api/sites/{site}/prices", { params: { path: { site: code }, query: { search } } })),
    placeholderData: (old: Schemas["PriceAmounts"][] | undefined) => old,
  });

/** Those that no checkout sells. */
export const unsoldPrices = (code: string, search: string) =>
  queryOptions({
    queryKey: ["site", code, "prices", "unsold", search],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/prices", {
          params: { path: { site: code }, query: { search, unsold: true } },
        }),
      ),
    placeholderData: (old: Schemas["PriceAmounts"][] | undefined) => old,
  });

export const treatments = (code: string, change: number) =>
  queryOptions({
    queryKey: ["site", code, "treatments", change],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/treatments", { params: { path: { site: code } } })),
    placeholderData: (old: Schemas["TreatmentsView"] | undefined) => old,
  });

export const nextNumbers = (code: string, change: number) =>
  queryOptions({
    queryKey: ["site", code, "next-numbers", change],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/next-numbers", { params: { path: { site: code } } })),
    placeholderData: (old: Schemas["NextNumberView"][] | undefined) => old,
  });

export const mailKinds = (code: string) =>
  queryOptions({
    queryKey: ["mail kinds"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/mails", at(code))),
    staleTime: Infinity,
  });

/** A mail as the draft would send it, as it stood at a change. */
export const mailPreview = (
  code: string,
  kind: Schemas["MailKindView"]["kind"],
  asked: { buyer: string; language: Schemas["Trial"]["language"]; price: string | null },
  change: number,
) =>
  queryOptions({
    queryKey: ["site", code, "mail preview", kind, asked, change],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/mails/{kind}", {
          params: { path: { site: code, kind }, query: asked },
        }),
      ),
    placeholderData: (old: Schemas["MailPreview"] | undefined) => old,
    retry: false,
  });

export const askedBack = (code: string, mode: Mode) =>
  queryOptions({
    queryKey: ["site", code, "orders", mode, "asked back"],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/give-backs", { params: { path: { site: code, mode } } }),
      ),
  });

export const refundable = (code: string, mode: Mode, orderCode: string) =>
  queryOptions({
    queryKey: ["site", code, "orders", mode, "refundable", orderCode],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/orders/{code}/refundable", {
          params: { path: { site: code, mode, code: orderCode } },
        }),
      ),
  });

/** The tape of an order as it was sold, or of a subscription's next charge; null where nothing is charged next. */
export const soldTape = (code: string, kind: "orders" | "subscriptions", mode: Mode, of: string) =>
  queryOptions({
    queryKey: ["site", code, kind, mode, "tape", of],
    queryFn: async (): Promise<Schemas["SoldTapeView"] | null> =>
      kind === "orders"
        ? data(
            api.GET("/desk/api/sites/{site}/books/{mode}/orders/{code}/tape", {
              params: { path: { site: code, mode, code: of } },
            }),
          )
        : data(
            api.GET("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/tape", {
              params: { path: { site: code, mode, subscription: of } },
            }),
          ),
  });

export const testBook = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "orders", "test", "book"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/test-book", { params: { path: { site: code } } })),
  });

export const comparison = (code: string, connection: string) =>
  queryOptions({
    queryKey: ["site", code, "comparison", connection],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/connections/{connection}/comparison", {
          params: { path: { site: code, connection } },
        }),
      ),
  });

export const taxReport = (code: string, mode: Mode, first: string, last: string) =>
  queryOptions({
    queryKey: ["site", code, "tax-report", mode, first, last],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/tax-report", {
          params: { path: { site: code }, query: { mode, first, last } },
        }),
      ),
  });

export const stock = (code: string, product: string) =>
  queryOptions({
    queryKey: ["site", code, "stock", product],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/stock/{product_id}", {
          params: { path: { site: code, product_id: product } },
        }),
      ),
  });

export const opening = (code: string, change: number, release: number | undefined) =>
  queryOptions({
    queryKey: ["site", code, "opening", change, release],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/opening", at(code))),
    placeholderData: (old: Schemas["FindingView"][] | undefined) => old,
  });

export const selling = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "selling"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/selling", at(code))),
  });

export const setAside = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "aside"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/aside", at(code))),
  });

export const placements = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "placements"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/placements", at(code))),
  });

export const currenciesPaid = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "currencies"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/currencies", at(code))),
  });

export const gateways = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "gateways"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/gateways", at(code))),
  });

export const paymentCosts = (code: string, change: number, query: CostQuery) =>
  queryOptions({
    queryKey: ["site", code, "payment-costs", change, query],
    queryFn: () =>
      data(api.GET("/desk/api/sites/{site}/payment-costs", { params: { path: { site: code }, query } })),
    placeholderData: (old: Schemas["CostsView"] | undefined) => old,
    retry: false,
  });

export interface CostQuery {
  amount: string;
  currency?: string;
  charges?: number;
  abroad?: boolean;
}

export const transfers = (code: string, mode: Mode, aside: boolean) =>
  infiniteQueryOptions({
    queryKey: ["site", code, "transfers", mode, aside],
    queryFn: ({ pageParam }) =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/transfers", {
          params: { path: { site: code, mode }, query: { before: pageParam ?? undefined, aside } },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    placeholderData: (old) => old,
  });

export const review = (code: string, release: number | null) =>
  queryOptions({
    queryKey: ["site", code, "review", release],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/review", { params: { path: { site: code }, query: { release } } }),
      ),
  });

export const releases = (code: string) =>
  infiniteQueryOptions({
    queryKey: ["site", code, "releases"],
    queryFn: ({ pageParam }) =>
      data(
        api.GET("/desk/api/sites/{site}/releases", {
          params: { path: { site: code }, query: { before: pageParam } },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => (page.length === 30 ? (page.at(-1)?.number ?? null) : null),
  });

export const edits = (code: string) =>
  infiniteQueryOptions({
    queryKey: ["site", code, "edits"],
    queryFn: ({ pageParam }) =>
      data(
        api.GET("/desk/api/sites/{site}/edits", {
          params: { path: { site: code }, query: { before: pageParam } },
        }),
      ),
    initialPageParam: null as number | null,
    getNextPageParam: (page) => (page.length === 50 ? (page.at(-1)?.change ?? null) : null),
  });

export const team = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "team"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/members", at(code))),
  });

export const sessions = queryOptions({
  queryKey: ["sessions"],
  queryFn: () => data(api.GET("/desk/api/sessions")),
});

export const jump = (code: string, q: string) =>
  queryOptions({
    queryKey: ["site", code, "jump", q],
    queryFn: () =>
      data(api.GET("/desk/api/sites/{site}/jump", { params: { path: { site: code }, query: { q } } })),
    placeholderData: (old: Schemas["FoundView"][] | undefined) => old,
    enabled: q !== "",
  });

export type Mode = "test" | "live";

export type Show = "all" | "waiting" | "held" | "paid" | "open";

export const orders = (code: string, mode: Mode, search: string, show: Show = "all") =>
  infiniteQueryOptions({
    queryKey: ["site", code, "orders", mode, "list", search, show],
    queryFn: ({ pageParam }) =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/orders", {
          params: { path: { site: code, mode }, query: { before: pageParam ?? undefined, search, show } },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    placeholderData: (old) => old,
  });

export const order = (code: string, mode: Mode, orderCode: string) =>
  queryOptions({
    queryKey: ["site", code, "orders", mode, "one", orderCode],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/orders/{code}", {
          params: { path: { site: code, mode, code: orderCode } },
        }),
      ),
  });

export interface Which {
  search: string;
  show: NonNullable<
    NonNullable<
      paths["/desk/api/sites/{site}/books/{mode}/subscriptions"]["get"]["parameters"]["query"]
    >["show"]
  >;
  price: string;
  /** Charged next within so many days; empty: at any time. */
  within: string;
}

export const subscriptions = (code: string, mode: Mode, which: Which) =>
  infiniteQueryOptions({
    queryKey: ["site", code, "subscriptions", mode, "list", which],
    queryFn: ({ pageParam }) =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/subscriptions", {
          params: {
            path: { site: code, mode },
            query: {
              before: pageParam ?? undefined,
              search: which.search,
              show: which.show,
              price: which.price,
              within: which.within ? Number(which.within) : undefined,
            },
          },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    placeholderData: (old) => old,
  });

export const subscription = (code: string, mode: Mode, of: string) =>
  queryOptions({
    queryKey: ["site", code, "subscriptions", mode, "one", of],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}", {
          params: { path: { site: code, mode, subscription: of } },
        }),
      ),
  });

export const outlook = (code: string, mode: Mode) =>
  queryOptions({
    queryKey: ["site", code, "subscriptions", mode, "outlook"],
    queryFn: () =>
      data(
        api.GET("/desk/api/sites/{site}/books/{mode}/outlook", { params: { path: { site: code, mode } } }),
      ),
  });

export const calendar = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "calendar"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/calendar", at(code))),
    // While it is being moved it says itself how far it has come.
    refetchInterval: (query) => (query.state.data?.moving ? 700 : false),
  });

/**
 * Asks anew for everything about a site, after something was stored. An answer that is still under way may be from
 * before that, so it is not waited for: a first answer would otherwise be kept.
 */
export async function refresh(queries: QueryClient, code: string, ...about: string[]) {
  await queries.cancelQueries({ queryKey: ["site", code, ...about] });
  await queries.invalidateQueries({ queryKey: ["site", code, ...about] });
}

export const useSite = (code: string) => useQuery(site(code));
