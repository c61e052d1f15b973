// What the desk asks the server, and under which names the answers are kept.
import { queryOptions, useQuery, type QueryClient } from "@tanstack/react-query";

import { api, data } from "../api/client";

export const me = queryOptions({
  queryKey: ["me"],
  queryFn: () => data(api.GET("/desk/api/me")),
  staleTime: 60_000,
});

export const site = (code: string) =>
  queryOptions({
    queryKey: ["site", code],
    queryFn: () => data(api.GET("/desk/api/sites/{site}", { params: { path: { site: code } } })),
  });

export const products = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "products"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/products", { params: { path: { site: code } } })),
  });

export const checkouts = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "checkouts"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/checkouts", { params: { path: { site: code } } })),
  });

export const placements = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "placements"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/placements", { params: { path: { site: code } } })),
  });

export const gateways = (code: string) =>
  queryOptions({
    queryKey: ["site", code, "gateways"],
    queryFn: () => data(api.GET("/desk/api/sites/{site}/gateways", { params: { path: { site: code } } })),
  });

export type Mode = "test" | "live";

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

/**
 * Asks anew for everything about a site, after something was stored. An answer that is still under way may be from
 * before that, so it is not waited for: a first answer would otherwise be kept.
 */
export async function refresh(queries: QueryClient, code: string) {
  await queries.cancelQueries({ queryKey: ["site", code] });
  await queries.invalidateQueries({ queryKey: ["site", code] });
}

export const useSite = (code: string) => useQuery(site(code));
