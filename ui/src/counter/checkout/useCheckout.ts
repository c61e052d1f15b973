// One checkout under way: what is typed and chosen, what it costs, and the press of the pay button.
import { useCallback, useEffect, useRef, useState } from "react";
import { api, data, Refused, fieldProblem } from "../../api/client";
import { isShort, linesOf, useBasket } from "../basket";
import { type Counter, tell } from "../boot";
import type { CardHandle } from "../CardFields";
import { priceOf } from "../chosen";
import { useCurrency } from "../currency";
import { useForm } from "../forms";
import {
  type CheckoutCode,
  type Chosen,
  keepChosen,
  keepTyped,
  keptChosen,
  keptTyped,
  type Typed,
} from "../kept";
import { check, type Missing, type NumberState, typedAtFirst, wantedOf } from "../typed";
import { useBrowserWindow } from "../useBrowserWindow";
import { useQuote, useVisit, type Paying } from "../useVisit";

/** All that the parts of a checkout show and change. */
export type UnderWay = ReturnType<typeof useCheckout>;

export function useCheckout(code: CheckoutCode, fresh: Counter, back: string | undefined) {
  const visit = useVisit(code, fresh, back);
  const { counter, problem } = visit;
  const [guessed, setGuessed] = useState(fresh.guessed && !keptTyped(code).country);
  const [livesHere, setLivesHere] = useState(false);
  const [password, setPassword] = useState("");
  const [way, setWay] = useState(fresh.filled?.way ?? undefined);
  const { typed, set, setParcel, missing, setMissing } = useTyped(code, fresh);
  const [chosen, choose] = useChosen(code, fresh);
  const basket = useBasket(code, fresh, counter, visit.setPrices, visit.phase.kind !== "resuming");
  const lines = linesOf(counter, counter.several ? basket.things : []);
  const wanted = wantedOf(counter, chosen, lines);
  const { quote, problem: quoteProblem, askAgain, current } = useQuote(counter.visit, typed, wanted);
  const offered = counter.pay.filter((one) => !quote || quote.pay_with.includes(one.gateway));
  const payWay = offered.find((one) => one.gateway === way) ?? offered[0];
  const form = useForm(typed.country, counter.form);
  const parcelForm = useForm(typed.deliver_to?.country ?? typed.country, counter.form);
  const only = counter.several ? undefined : priceOf(counter, chosen);
  /** The prices of what is taken. */
  const prices = only ? [only] : lines.map((one) => one.price);
  const place = { country: typed.country, form, open: visit.phase.kind === "form" };
  const currencies = useCurrency(code, fresh, counter, place, visit.changeCurrency);
  // What was just chosen, until the server has answered; else what it reckons with.
  const delivery =
    quote?.ways.find((one) => one.id === chosen.delivery) ?? quote?.ways.find((one) => one.id === quote.way);
  const free = quote !== undefined && /^0(\.0+)?$/.test(quote.due_today);
  useEffect(() => tell("ready"), []);
  useEffect(() => {
    if (problem?.status === 409) askAgain();
  }, [problem, askAgain]);
  const error = problem ? new Refused(problem) : undefined;
  const asked = quoteProblem ? new Refused(quoteProblem) : undefined;
  return {
    ...visit,
    ...{ guessed, setGuessed, livesHere, setLivesHere, password, setPassword, setWay },
    ...{ typed, set, setParcel, missing, setMissing, chosen, choose, wanted },
    ...{ quote, quoteProblem, askAgain, current, offered, payWay, form, parcelForm, prices, delivery, free },
    ...{ basket, lines },
    back,
    currencies,
    sends: prices.some((one) => one.sends) && !delivery?.pick_up,
    /** Whether something of it can be had no more, or not so many. */
    short: only ? only.sold_out : lines.some(isShort),
    /** Neither is anything due, nor is a card kept to be charged later. */
    nothing: free && !quote.keeps,
    error,
    asked,
    /** What is wrong with a field, as the answer to Pay says. */
    inAnswer: (name: string) => fieldProblem(error, name),
    /** The same, or as the quote says. */
    wrong: (name: string) => fieldProblem(error, name) ?? fieldProblem(asked, name),
  };
}

/** What is typed, kept in this browser with every key. */
function useTyped(code: CheckoutCode, fresh: Counter) {
  const [typed, setTyped] = useState<Typed>(() => typedAtFirst(code, fresh));
  const [missing, setMissing] = useState<Missing>({});
  const set = (part: Partial<Typed>) => {
    const next = { ...typed, ...part };
    setTyped(next);
    setMissing((old) => ({
      ...old,
      ...Object.fromEntries(Object.keys(part).map((name) => [name, undefined])),
    }));
    keepTyped(code, next);
  };
  const setParcel = (part: Partial<NonNullable<Typed["deliver_to"]>>) => {
    if (typed.deliver_to) set({ deliver_to: { ...typed.deliver_to, ...part } });
  };
  return { typed, set, setParcel, missing, setMissing };
}

function useChosen(code: CheckoutCode, fresh: Counter) {
  const [chosen, setChosen] = useState<Chosen>(() => {
    const brought = fresh.several ? undefined : fresh.brought?.[0];
    if (!brought) return keptChosen(code);
    const { price, quantity, variant } = brought;
    return { ...keptChosen(code), price, quantity, variant: variant ?? undefined };
  });
  const choose = (part: Partial<Chosen>) => {
    const next = { ...chosen, ...part };
    setChosen(next);
    keepChosen(code, next);
  };
  return [chosen, choose] as const;
}

/** A business's tax number, looked up when its field is left; one that is there from the first, at once. */
export function useTaxNumber({ counter, typed, askAgain }: UnderWay) {
  const [number, setNumber] = useState<{ of: string; found: NumberState }>();
  const found = number && number.of === typed.tax_number ? number.found : undefined;
  const { visit } = counter;
  const look = useCallback(
    async (country: string, of: string) => {
      try {
        const body = { visit, country, number: of.trim() };
        const answer = await data(api.POST("/counter/api/tax-number", { body }));
        setNumber({ of, found: answer });
        askAgain();
      } catch {
        // Asked once more when it is paid; the sale does not wait for it.
      }
    },
    [visit, askAgain],
  );
  const atFirst = useRef(typed.business ? typed.tax_number : undefined);
  useEffect(() => {
    const of = atFirst.current?.trim();
    atFirst.current = undefined;
    if (of) void look(typed.country, of);
  }, [look, typed.country]);
  const ask = async () => {
    if (typed.tax_number?.trim() && !found) await look(typed.country, typed.tax_number);
  };
  return { found, ask };
}

/** Pressing the pay button, once at a time: with the gateway's fields, or in the browser's own payment window. */
export function usePress(checkout: UnderWay) {
  const { typed, wanted, nothing, free, quote, quoteProblem, current, livesHere, payWay, password } =
    checkout;
  const rings = checkout.sends && checkout.delivery?.telephone === "needed";
  const { pay, paying, editing, setMissing, basket } = checkout;
  const card = useRef<CardHandle>(null);
  const busy = useRef(false);
  const [pressed, setPressed] = useState(false);
  const [unreachable, setUnreachable] = useState(false);
  const [hindered, setHindered] = useState(false);
  /** Whether everything is there that a press needs; what is missing is told, and comes under the cursor. */
  const complete = useCallback(() => {
    setHindered(Boolean(quoteProblem));
    if (quoteProblem?.errors.some((one) => one.path.startsWith("coupons")))
      document.getElementsByName("coupon")[0]?.focus();
    if (busy.current || !quote || !current || (!nothing && !payWay)) return false;
    const wrong = check(typed, rings);
    setMissing(wrong);
    setUnreachable(false);
    const first = quote.seen_in && !livesHere ? "lives_here" : Object.keys(wrong)[0];
    if (first) document.getElementsByName(first)[0]?.focus();
    return !first;
  }, [typed, rings, nothing, quote, quoteProblem, current, livesHere, payWay, setMissing]);
  const press = useCallback(async () => {
    if (!complete() || !quote) return;
    busy.current = true;
    setPressed(true);
    paying();
    const expected: Omit<Paying, "token"> = {
      way: nothing ? undefined : payWay?.gateway,
      expected: quote.due_today,
      currency: quote.currency,
      lives_here: livesHere,
      basket: basket.id,
      ...(password && quote.later.length ? { password } : {}),
    };
    const types = !nothing && payWay?.kind === "fields";
    const answer = types ? ((await card.current?.tokenise()) ?? { kind: "unreachable" }) : undefined;
    if (!answer) await pay(typed, wanted, { ...expected, token: null });
    else if (answer.kind === "token") await pay(typed, wanted, { ...expected, token: answer.token });
    else {
      editing();
      setUnreachable(answer.kind === "unreachable");
    }
    busy.current = false;
  }, [typed, wanted, nothing, quote, livesHere, payWay, password, complete, pay, paying, editing, basket.id]);
  const inWindow = useBrowserWindow(payWay, free ? undefined : quote);
  /** The same, with a card that the browser's own payment window hands over. */
  const pressInWindow = async () => {
    if (!complete() || !quote || !inWindow || !payWay) return;
    let token: string;
    try {
      const answer = await inWindow().show();
      token = (answer.details as { token: string }).token;
      await answer.complete("unknown");
    } catch {
      return; // the buyer has closed the window, or it could not be opened: nothing was sent
    }
    busy.current = true;
    paying();
    const shown = { expected: quote.due_today, currency: quote.currency };
    await pay(typed, wanted, {
      way: payWay.gateway,
      token,
      ...shown,
      lives_here: livesHere,
      basket: basket.id,
    });
    busy.current = false;
  };
  /** Why the press did nothing: the order cannot be reckoned as it is asked for. */
  const hindrance = hindered ? quoteProblem : undefined;
  return {
    press,
    pressInWindow: inWindow ? pressInWindow : undefined,
    pressed,
    unreachable,
    hindrance,
    card,
  };
}
