// Whom the tape is made out to (in the address), what it is about, and the edit that is not saved yet.
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useState,
  useSyncExternalStore,
  type ReactNode,
} from "react";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";

import { api, data, Refused, type Schemas } from "../api/client";
import { TapeRoll, type Roll } from "./TapeRoll";
import { parts } from "./queries";

export type Subject = Schemas["Subject"];
export type Unsaved = Schemas["UnsavedPart"];
export type BuyerChoice = Schemas["BuyerChoice"];
export type Card = Schemas["TapeView"]["card"];

export const REAL = "real";

export const CARDS: readonly (readonly [Card, string])[] = [
  ["approved", "approved"],
  ["no_funds", "without funds"],
  ["lost", "reported lost"],
  ["expired", "expired"],
  ["slow", "slow"],
  ["no_answer", "silent at first"],
  ["cut", "cut off"],
];

interface State {
  roll: Roll;
  buyers: readonly { id: string; name: string }[];
  main: BuyerChoice;
  beside: readonly string[];
  quantity: number | undefined;
  /** Sets parts of the address; null takes one out. */
  change: (changes: Record<string, string | null>) => void;
  nextBuyer: () => void;
  setSubject: (subject: Subject | undefined) => void;
  setUnsaved: (unsaved: Unsaved | undefined) => void;
}

const Given = createContext<State | undefined>(undefined);

export function useTape(): State {
  const state = useContext(Given);
  if (!state) throw new Error("outside of the frame");
  return state;
}

/** Puts a thing on the tape for as long as its sheet is open; `unsaved` is how it stands in the editor. */
export function useOnTape(subject: Subject | undefined, unsaved?: Unsaved) {
  const { setSubject, setUnsaved } = useTape();
  const { kind, id } = subject ?? {};
  useEffect(() => {
    if (kind && id) setSubject({ kind, id });
  }, [kind, id, setSubject]);
  useEffect(() => {
    setUnsaved(unsaved);
  }, [unsaved, setUnsaved]);
  useEffect(() => () => setUnsaved(undefined), [setUnsaved]);
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
  const [subject, setSubject] = useState<Subject>();
  const [unsaved, setUnsaved] = useState<Unsaved>();
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
  const ready = listed.isSuccess || listed.isError;
  useEffect(() => {
    if (!ready) return;
    const others = beside.map((id): BuyerChoice => ({ id }));
    roll.want({
      request: {
        about: subject ?? null,
        quantity: quantity ?? null,
        buyers: [main, ...others],
        unsaved: unsaved ?? null,
      },
      change: siteChange,
    });
  }, [roll, ready, subject, quantity, main, beside, unsaved, siteChange]);
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
  const shown = useSyncExternalStore(roll.subscribe, roll.snapshot);
  const state = useMemo<State>(
    () => ({ roll: shown, buyers, main, beside, quantity, change, nextBuyer, setSubject, setUnsaved }),
    [shown, buyers, main, beside, quantity, change, nextBuyer],
  );
  return <Given.Provider value={state}>{children}</Given.Provider>;
}

export const asSaved = Object.fromEntries(CHANGED_IN_PLACE.map((name) => [name, null]));
