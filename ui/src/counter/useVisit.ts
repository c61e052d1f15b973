// One buyer's visit: which one is gone on with, what it costs, and what became of paying.
import { useCallback, useEffect, useRef, useState } from "react";

import { api, data, Refused, type Problem } from "../api/client";
import type { Counter, Progress, Quote } from "./boot";
import { keepVisit, keptVisit, type Address, type Typed } from "./kept";

/** A choice as the server is asked about it. */
export interface Wanted {
  price?: string | undefined;
  variant?: string | undefined;
  quantity?: number | undefined;
  chosen?: string | undefined;
  coupons: string[];
}

const PAUSE = 1500;

export type Phase =
  | { kind: "resuming" }
  | { kind: "form"; refused?: string; nothingCharged?: boolean }
  | { kind: "paying" }
  | { kind: "finding out" }
  | { kind: "bought before"; progress: Progress };

function isFresh(code: Address, fresh: Counter): boolean {
  const kept = keptVisit(code);
  return !kept || kept === fresh.visit;
}

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

export function useVisit(code: Address, fresh: Counter) {
  const [counter, setCounter] = useState(fresh);
  const [phase, setPhase] = useState<Phase>(() => ({ kind: isFresh(code, fresh) ? "form" : "resuming" }));
  const [problem, setProblem] = useState<Problem>();
  const visit = useRef(fresh.visit);

  /** Asks until it is known what became of the order; a connection that is away is waited for. */
  const findOut = useCallback(async () => {
    setPhase({ kind: "finding out" });
    for (;;) {
      try {
        const progress = await data(api.POST("/counter/api/progress", { body: { visit: visit.current } }));
        if (progress.state === "paid") {
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
      } catch {
        // asked again below
      }
      await wait(PAUSE);
    }
  }, []);

  useEffect(() => {
    const kept = keptVisit(code);
    if (!kept || isFresh(code, fresh)) {
      keepVisit(code, fresh.visit);
      return;
    }
    data(api.POST("/counter/api/resume", { body: { visit: kept, fresh: fresh.visit } })).then(
      (resumed) => {
        visit.current = resumed.counter.visit;
        keepVisit(code, resumed.counter.visit);
        setCounter(resumed.counter);
        if (resumed.progress.state === "paid")
          setPhase({ kind: "bought before", progress: resumed.progress });
        else if (resumed.progress.state === "pending") void findOut();
        else setPhase({ kind: "form", refused: resumed.progress.message ?? undefined });
      },
      () => {
        visit.current = kept;
        setPhase({ kind: "form" });
      },
    );
  }, [code, fresh, findOut]);

  const buyAgain = useCallback(() => {
    visit.current = fresh.visit;
    keepVisit(code, fresh.visit);
    setCounter(fresh);
    setPhase({ kind: "form" });
  }, [code, fresh]);

  const pay = useCallback(
    async (typed: Typed, wanted: Wanted, token: string | null, expected: string) => {
      setPhase({ kind: "paying" });
      setProblem(undefined);
      try {
        const progress = await data(
          api.POST("/counter/api/pay", {
            body: { visit: visit.current, ...typed, ...wanted, token, expected },
          }),
        );
        if (progress.state === "paid") arrive(progress);
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

  const paying = useCallback(() => setPhase({ kind: "paying" }), []);
  const editing = useCallback(() => setPhase({ kind: "form" }), []);
  return { counter, phase, problem, pay, paying, editing, buyAgain, visit };
}

/** What a choice costs a buyer of a country; the last answer stays until the next is there. `asking`: it is under way. */
export function useQuote(visit: string, country: string, wanted: Wanted) {
  const [quote, setQuote] = useState<Quote>();
  const [problem, setProblem] = useState<Problem>();
  const [again, setAgain] = useState(0);
  const asked = JSON.stringify(wanted);
  const [answered, setAnswered] = useState("");
  const question = `${visit} ${country} ${asked}`;
  useEffect(() => {
    let current = true;
    const body = { visit, country, email: "", ...(JSON.parse(asked) as Wanted) };
    data(api.POST("/counter/api/quote", { body })).then(
      (found) => {
        if (!current) return;
        setQuote(found);
        setProblem(undefined);
        setAnswered(`${visit} ${country} ${asked}`);
      },
      (error: unknown) => {
        if (!current || !(error instanceof Refused)) return;
        setProblem(error.problem);
        if (!error.problem.status || error.problem.status >= 500)
          setTimeout(() => setAgain((n) => n + 1), 2000);
      },
    );
    return () => {
      current = false;
    };
  }, [visit, country, asked, again]);
  const askAgain = useCallback(() => setAgain((n) => n + 1), []);
  return { quote, problem, askAgain, current: answered === question };
}

function arrive(progress: Progress) {
  if (progress.confirmation) window.location.replace(progress.confirmation);
}
