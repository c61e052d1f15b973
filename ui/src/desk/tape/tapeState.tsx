// Whom the tape is made out to (in the address), what it is about, and the edit that is not saved yet.
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useLayoutEffect,
  useMemo,
  useState,
  useSyncExternalStore,
  type ReactNode,
} from "react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";

import { api, data, Refused, type Schemas } from "../../api/client";
import { TapeRoll, type Roll } from "./TapeRoll";
import { parts } from "../queries";

export type BuyerChoice = Schemas["BuyerChoice"];
export type Card = Schemas["TapeView"]["card"];

export const REAL = "real";

export const CARDS: readonly (readonly [Card, string])[] = [
  ["approved", "approved"],
  ["elsewhere", "of another country"],
  ["no_funds", "without funds"],
  ["lost", "reported lost"],
  ["expired", "expired"],
  ["slow", "slow"],
  ["no_answer", "silent at first"],
  ["cut", "cut off"],
  ["no_refund", "taking nothing back"],
  ["approval", "asking the bank"],
  ["disputed", "disputed later"],
  ["fails_once", "failing once, at the second renewal"],
  ["fails_later", "failing from the second renewal on"],
  ["approval_later", "asking the bank at renewals"],
];

interface State {
  roll: TapeRoll;
  buyers: readonly { id: string; name: string }[];
  main: BuyerChoice;
  beside: readonly string[];
  quantity: number | undefined;
  /** Which of the subject's prices is on the tape, where it is not the first. */
  price: string | undefined;
  /** Sets parts of the address; null takes one out. */
  change: (changes: Record<string, string | null>) => void;
  nextBuyer: () => void;
}

const Given = createContext<State | undefined>(undefined);

export function useTape(): State {
  const state = useContext(Given);
  if (!state) throw new Error("outside of the frame");
  return state;
}

/** What the tape shows now. Whoever uses this is drawn anew with every answer; `useTape` alone stays as it is. */
export function useRoll(): Roll {
  const { roll } = useTape();
  return useSyncExternalStore(roll.subscribe, roll.snapshot);
}

interface Edited {
  subscribe: (listener: () => void) => () => void;
  snapshot: () => { body: Record<string, unknown> };
}

/** Puts a part on the tape for as long as its sheet is open, as it stands in its editor. */
export function useOnTape(
  kind: "product" | "coupon" | "checkout",
  id: string,
  { subscribe, snapshot }: Edited,
) {
  const { roll } = useTape();
  useLayoutEffect(() => {
    // Asked as soon as it is typed: the question is under way while the browser draws.
    const ask = () => roll.know({ unsaved: { kind, id, body: snapshot().body } });
    roll.know({ subject: { kind, id } });
    ask();
    const stop = subscribe(() => {
      ask();
      roll.askNow();
    });
    return () => {
      stop();
      roll.know({ unsaved: undefined });
    };
  }, [roll, kind, id, subscribe, snapshot]);
}

const CHANGED_IN_PLACE = ["country", "currency", "business", "card", "on"];

export function TapeState({
  code,
  change: siteChange,
  children,
}: {
  code: string;
  change: number;
  children: ReactNode;
}) {
  const [params, setParams] = useSearchParams();
  const listed = useInfiniteQuery(parts(code, "stand_in_buyer", ""));
  const buyers = useMemo(() => listed.data?.pages.flatMap((page) => page.parts) ?? [], [listed.data]);
  const [roll] = useState(
    () =>
      new TapeRoll(
        (request) =>
          data(api.POST("/desk/api/sites/{site}/tapes", { params: { path: { site: code } }, body: request })),
        (error) =>
          error instanceof Refused && error.problem.status > 0 && error.problem.status < 500
            ? error.problem.detail
            : undefined,
      ),
  );
  useEffect(() => roll.stop, [roll]);
  const main = useMemo<BuyerChoice>(() => {
    const business = params.get("business");
    return {
      id: params.get("buyer") ?? buyers[0]?.id ?? REAL,
      country: params.get("country"),
      currency: params.get("currency"),
      business: business === null ? null : business === "yes",
      card: params.get("card") as Card | null,
      on: params.get("on"),
    };
  }, [params, buyers]);
  const besideText = params.get("beside") ?? "";
  const beside = useMemo(() => besideText.split(",").filter(Boolean).slice(0, 5), [besideText]);
  const quantity = Number(params.get("quantity")) || undefined;
  const price = params.get("price") ?? undefined;
  const variant = params.get("variant") ?? undefined;
  const coupon = params.get("coupon") ?? undefined;
  const ready = listed.isSuccess || listed.isError;
  useLayoutEffect(() => {
    const others = beside.map((id): BuyerChoice => ({ id }));
    roll.know({ ready, quantity, price, variant, coupon, buyers: [main, ...others], change: siteChange });
  }, [roll, ready, quantity, price, variant, coupon, main, beside, siteChange]);
  const change = useCallback(
    (changes: Record<string, string | null>) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old);
          for (const [name, value] of Object.entries(changes)) {
            if (value === null || value === "") next.delete(name);
            else next.set(name, value);
          }
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );
  const nextBuyer = useCallback(() => {
    const ids = [...buyers.map((buyer) => buyer.id), REAL];
    const next = ids[(ids.indexOf(main.id) + 1) % ids.length] ?? REAL;
    change({ buyer: next, ...Object.fromEntries(CHANGED_IN_PLACE.map((name) => [name, null])) });
  }, [buyers, main.id, change]);
  const state = useMemo<State>(
    () => ({ roll, buyers, main, beside, quantity, price, change, nextBuyer }),
    [roll, buyers, main, beside, quantity, price, change, nextBuyer],
  );
  return <Given.Provider value={state}>{children}</Given.Provider>;
}

export const asSaved = Object.fromEntries(CHANGED_IN_PLACE.map((name) => [name, null]));
