// The ways to pay that a site offers, by name.
import { useQuery } from "@tanstack/react-query";

import type { PaymentsBody } from "./bodies";
import { gateways, part } from "../queries";

/** What the site offers, in its order, or whatever is connected; and what is named beside these, to be taken out. */
export function useWaysOffered(code: string, named: readonly string[]) {
  const known = useQuery(gateways(code)).data ?? [];
  const site = useQuery(part(code, "payments", "-")).data?.part.body as PaymentsBody | undefined;
  const offered = site?.ways?.map((way) => way.gateway);
  const adapters = offered ?? known.filter((one) => one.connections.length).map((one) => one.adapter);
  return [...new Set([...adapters, ...named])].map(
    (way) => [way, known.find((one) => one.adapter === way)?.name ?? way] as const,
  );
}
