// One buyer's visit: which one is gone on with, what it costs, and what became of paying.
import { useCallback, useEffect, useRef, useState } from "react";

import { api, data, Refused, type Problem, type Schemas } from "../api/client";
import type { Counter, Progress, Quote } from "./boot";
import { inCurrency, wishedCurrency } from "./currency";
import { basketOf, keepProof, keepVisit, keptVisit, type CheckoutCode, type Typed } from "./kept";

/** A choice as the server is asked about it. */
export interface Wanted {
  price?: string | undefined;
  variant?: string | undefined;
  quantity?: number | undefined;
  chosen?: string | undefined;
  delivery?: string | undefined;
  coupons: string[];
  /** Where several things may be taken, in place of the one. */
  items?: Schemas["ItemTaken"][] | undefined;
}

/** All of a buyer that amounts depend on. */
export type Buying = Pick<Typed, "country" | "address" | "deliver_to" | "business" | "tax_number">;

/** A press of the pay button: with which gateway, for which amount; the token of what was typed in its fields. */
export interface Paying {
  way: string | undefined;
  token: string | null;
  expected: string;
  /** The one in which `expected` was shown. */
  currency: string;
  lives_here: boolean;
  /** What it was put together in. */
  basket?: string | undefined;
  /** For the account page, where subscriptions are looked after. */
  password?: string | undefined;
}

const PAUSE = 1500;

export type Phase =
  | { kind: "resuming" }
  | { kind: "form"; refused?: string; nothingCharged?: boolean }
  | { kind: "paying" }
  | { kind: "finding out" }
  | { kind: "approving"; address: string }
  | { kind: "leaving"; address: string; way: string | undefined }
  | { kind: "bought before"; progress: Progress };

function isFresh(code: CheckoutCode, fresh: Counter): boolean {
  const kept = keptVisit(code);
  return !kept || kept === fresh.visit;
}

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/**
 * `back` says which order somebody comes back from paying elsewhere. It is no visit: who does not keep that order's visit
 * in this browser is told how the order stands, and begins afresh.
 */
export function useVisit(code: CheckoutCode, fresh: Counter, back?: string) {
  const [basket] = useState(() => basketOf(code, fresh));
  const [counter, setCounter] = useState(fresh);
  const [phase, setPhase] = useState<Phase>(() => ({
    kind: !back && isFresh(code, fresh) && !wishedCurrency(code, fresh, fresh) ? "form" : "resuming",
  }));
  const [problem, setProblem] = useState<Problem>();
  const visit = useRef(fresh.visit);
  /** Counts up when the wait for an answer is given up. */
  const again = useRef(0);

  /** Counts up with every change of the currency: of two under way the later one holds. */
  const changes = useRef(0);
  const take = useCallback(
    (met: Counter) => {
      visit.current = met.visit;
      keepVisit(code, met.visit);
      setCounter(met);
    },
    [code],
  );

  /** A visit in the currency that the link or this browser's buyer has chosen. */
  const asWished = useCallback(
    async (found: Counter) => {
      const wish = wishedCurrency(code, fresh, found);
      return wish ? inCurrency(found, wish, basket).catch(() => found) : found;
    },
    [code, fresh, basket],
  );

  /** Asks until it is known what became of the order; a connection that is away is waited for. */
  const findOut = useCallback(async () => {
    const turn = again.current;
    setPhase({ kind: "finding out" });
    for (;;) {
      try {
        const progress = await data(api.POST("/counter/api/progress", { body: { visit: visit.current } }));
        if (progress.confirmation) {
          arrive(progress);
          return;
        }
        if (progress.state === "refused") {
          setPhase({ kind: "form", refused: progress.message ?? "" });
          return;
        }
        if (progress.state !== "pending") {
          setPhase({ kind: "form", nothingCharged: true });
          return;
        }
        if (again.current !== turn) return;
        const address = progress.approve_at;
        const kind = !address ? "finding out" : progress.off_site ? "leaving" : "approving";
        setPhase((now) => {
          if (now.kind === kind && (!("address" in now) || now.address === address)) return now;
          if (!address) return { kind: "finding out" };
          return progress.off_site
            ? { kind: "leaving", address, way: progress.way ?? undefined }
            : { kind: "approving", address };
        });
      } catch {
        // asked again below
      }
      await wait(PAUSE);
    }
  }, []);

  useEffect(() => {
    if (back) {
      window.history.replaceState(null, "", window.location.pathname);
      // How the order stands is asked for until that is decided.
      const ask = () => {
        const kept = keptVisit(code);
        const body = { back, fresh: fresh.visit, basket, ...(kept ? { visit: kept } : {}) };
        data(api.POST("/counter/api/come-back", { body })).then(
          async ({ counter: found, progress }) => {
            take(await asWished(found));
            if (progress.confirmation) arrive(progress);
            else if (progress.state !== "pending")
              setPhase({ kind: "form", refused: progress.message ?? undefined });
            else if (found.visit !== fresh.visit) void findOut();
            else {
              setPhase({ kind: "finding out" });
              setTimeout(ask, PAUSE);
            }
          },
          (error: unknown) => {
            const status = error instanceof Refused ? error.problem.status : 0;
            if (status && status < 500) setPhase({ kind: "form" });
            else setTimeout(ask, PAUSE);
          },
        );
      };
      ask();
      return;
    }
    const kept = keptVisit(code);
    if (!kept || isFresh(code, fresh)) {
      keepVisit(code, fresh.visit);
      if (!wishedCurrency(code, fresh, fresh)) return;
      void asWished(fresh).then((met) => {
        take(met);
        setPhase({ kind: "form" });
      });
      return;
    }
    data(api.POST("/counter/api/resume", { body: { visit: kept, fresh: fresh.visit, basket } })).then(
      async (resumed) => {
        const { progress } = resumed;
        const isOver = Boolean(progress.confirmation) || progress.state === "cancelled";
        // Whoever has something in their basket since has begun anew.
        const more = fresh.several && (fresh.brought ?? resumed.counter.basket.things).length > 0;
        take(await asWished(isOver && more ? fresh : resumed.counter));
        if (isOver && !more) setPhase({ kind: "bought before", progress });
        else if (isOver) setPhase({ kind: "form" });
        else if (progress.state === "pending") void findOut();
        else setPhase({ kind: "form", refused: resumed.progress.message ?? undefined });
      },
      () => {
        visit.current = kept;
        setPhase({ kind: "form" });
      },
    );
  }, [code, fresh, findOut, back, asWished, take, basket]);

  const buyAgain = useCallback(() => {
    void asWished(fresh).then((met) => {
      take(met);
      setPhase({ kind: "form" });
    });
  }, [fresh, asWished, take]);

  const changeCurrency = useCallback(
    async (currency: string) => {
      const turn = (changes.current += 1);
      const met = await inCurrency({ ...counter, visit: visit.current }, currency, basket);
      if (changes.current === turn) take(met);
    },
    [take, counter, basket],
  );

  const pay = useCallback(
    async (typed: Typed, wanted: Wanted, paying: Paying) => {
      setPhase({ kind: "paying" });
      setProblem(undefined);
      try {
        const progress = await data(
          api.POST("/counter/api/pay", {
            body: { visit: visit.current, ...typed, ...wanted, ...paying },
          }),
        );
        if (paying.password) keepProof(visit.current);
        if (progress.confirmation) arrive(progress);
        else if (progress.state === "pending") await findOut();
        else setPhase({ kind: "form", refused: progress.message ?? "" });
      } catch (error) {
        const refused = error instanceof Refused ? error.problem : undefined;
        if (!refused || !refused.status || refused.status >= 500) return findOut();
        setProblem(refused);
        setPhase({ kind: "form" });
      }
    },
    [findOut],
  );

  /** Ends the wait for an open payment, to pay in another way. */
  const giveUp = useCallback(async () => {
    again.current += 1;
    try {
      const progress = await data(api.POST("/counter/api/give-up", { body: { visit: visit.current } }));
      if (progress.confirmation) arrive(progress);
      else if (progress.state === "pending") await findOut();
      else setPhase({ kind: "form" });
    } catch (error) {
      if (error instanceof Refused) setProblem(error.problem);
      await findOut();
    }
  }, [findOut]);

  const setPrices = useCallback(
    (prices: Counter["prices"]) => setCounter((before) => ({ ...before, prices })),
    [],
  );
  const paying = useCallback(() => setPhase({ kind: "paying" }), []);
  const editing = useCallback(() => setPhase({ kind: "form" }), []);
  return {
    counter,
    phase,
    problem,
    pay,
    paying,
    editing,
    buyAgain,
    giveUp,
    visit,
    changeCurrency,
    setPrices,
  };
}

/**
 * What a choice costs a buyer; the last answer stays until the next is there. `current`: it is the answer to this. Of
 * nothing that was taken nothing is asked.
 */
export function useQuote(visit: string, buying: Buying, wanted: Wanted) {
  const [quote, setQuote] = useState<Quote>();
  const [problem, setProblem] = useState<Problem>();
  const [again, setAgain] = useState(0);
  const [answered, setAnswered] = useState("");
  const question = JSON.stringify({ visit, ...asQuoted(buying), ...wanted });
  const asked = useSettled(question);
  const nothing = wanted.items?.length === 0;
  useEffect(() => {
    const body = JSON.parse(asked) as Asked;
    if (body.items?.length === 0) return;
    let current = true;
    // A coupon that is wrong is told, and the others count all the same; nothing is paid before it is put right.
    const ask = (body: Asked, wrong?: Problem): Promise<void> =>
      data(api.POST("/counter/api/quote", { body: { email: "", ...body } })).then(
        (found) => {
          if (!current) return;
          setQuote(found);
          setProblem(wrong);
          setAnswered(wrong ? "" : asked);
        },
        (error: unknown) => {
          if (!current || !(error instanceof Refused)) return;
          setProblem(error.problem);
          const left = wrong ? undefined : withoutWrongCoupons(body.coupons, error.problem);
          if (left) return ask({ ...body, coupons: left }, error.problem);
          if (!error.problem.status || error.problem.status >= 500)
            setTimeout(() => setAgain((n) => n + 1), 2000);
        },
      );
    void ask(body);
    return () => {
      current = false;
    };
  }, [asked, again]);
  const askAgain = useCallback(() => setAgain((n) => n + 1), []);
  if (nothing) return { quote: undefined, problem: undefined, askAgain, current: false };
  return { quote, problem, askAgain, current: answered === question };
}

/** The coupons that nothing is wrong with, where that is all that is wrong. */
export function withoutWrongCoupons(coupons: string[], problem: Problem): string[] | undefined {
  const wrong = problem.errors.map((one) => /^coupons\[(\d+)\]$/.exec(one.path)?.[1]);
  if (!wrong.length || wrong.includes(undefined)) return undefined;
  if (problem.errors.some((one) => one.code === "too_many")) return [];
  return coupons.filter((_, i) => !wrong.includes(String(i)));
}

type Asked = { visit: string } & Buying & Wanted;

/** Of what is typed only what amounts depend on, so that typing a street asks nothing. */
function asQuoted({ country, address, deliver_to, business, tax_number }: Buying) {
  const place = ({
    region,
    postal_code,
  }: {
    region?: string | undefined;
    postal_code?: string | undefined;
  }) => ({
    region: region || undefined,
    postal_code: postal_code || undefined,
  });
  return {
    country,
    address: place(address),
    deliver_to: deliver_to ? { country: deliver_to.country, ...place(deliver_to) } : undefined,
    business,
    tax_number: (business && tax_number) || undefined,
  };
}

const TYPING = 350;

/** A question once typing pauses; at once where it is the first. */
function useSettled(question: string): string {
  const [settled, setSettled] = useState(question);
  useEffect(() => {
    if (question === settled) return;
    const wait = typed(question) === typed(settled) ? 0 : TYPING;
    const timer = setTimeout(() => setSettled(question), wait);
    return () => clearTimeout(timer);
  }, [question, settled]);
  return settled;
}

/** What is typed letter by letter; everything else is asked about at once. */
function typed(question: string): string {
  const { address, deliver_to, tax_number } = JSON.parse(question) as Partial<Buying>;
  return [address?.postal_code, deliver_to?.postal_code, tax_number].join(" ");
}

function arrive(progress: Progress) {
  if (progress.confirmation) window.location.replace(progress.confirmation);
}
