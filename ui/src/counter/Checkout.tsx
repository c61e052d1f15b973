import { useCallback, useEffect, useId, useRef, useState } from "react";

import { fieldProblem, Refused } from "../api/client";
import { money } from "../kit/money";
import { CardFields, type CardHandle } from "./CardFields";
import { Choose, priceOf, quantityOf, variantOf } from "./Choose";
import { Coupons } from "./Coupons";
import { Later, Summary } from "./Summary";
import { Aside, Column, Framed, PayButton } from "./look";
import { tell, type Counter } from "./boot";
import { keepChosen, keepTyped, keptChosen, keptTyped, type Address, type Chosen, type Typed } from "./kept";
import { useQuote, useVisit, type Phase, type Wanted } from "./useVisit";

/** The checkout: who buys, the card, what it costs, pay. */
export function Checkout({ code, fresh }: { code: Address; fresh: Counter }) {
  const { counter, phase, problem, pay, paying, editing, buyAgain } = useVisit(code, fresh);
  const kept: Partial<Typed> = { ...keptTyped(code), ...fresh.filled };
  const sold = counter.countries.some((country) => country.code === kept.country);
  const [typed, setTyped] = useState<Typed>({
    email: kept.email ?? "",
    name: kept.name ?? "",
    country: sold && kept.country ? kept.country : counter.country,
  });
  const [chosen, setChosen] = useState<Chosen>(() => keptChosen(code));
  const wanted = wantedOf(counter, chosen);
  const { quote, problem: quoteProblem, askAgain, current } = useQuote(counter.visit, typed.country, wanted);
  const [missing, setMissing] = useState<Partial<Typed>>({});
  const [unreachable, setUnreachable] = useState(false);
  const card = useRef<CardHandle>(null);
  const busy = useRef(false);
  const slow = useSlow(phase);

  useEffect(() => tell("ready"), []);
  useEffect(() => {
    if (problem?.status === 409) askAgain();
  }, [problem, askAgain]);

  const set = (part: Partial<Typed>) => {
    const next = { ...typed, ...part };
    setTyped(next);
    setMissing((old) => ({
      ...old,
      ...Object.fromEntries(Object.keys(part).map((name) => [name, undefined])),
    }));
    keepTyped(code, next);
  };

  const choose = (part: Partial<Chosen>) => {
    const next = { ...chosen, ...part };
    setChosen(next);
    keepChosen(code, next);
  };

  const nothing = quote !== undefined && /^0(\.0+)?$/.test(quote.due_today);
  const press = useCallback(async () => {
    if (busy.current || !quote?.payable || !current) return;
    const wrong = check(typed);
    setMissing(wrong);
    setUnreachable(false);
    const first = Object.keys(wrong)[0];
    if (first) {
      document.getElementsByName(first)[0]?.focus();
      return;
    }
    busy.current = true;
    paying();
    const answer = nothing ? undefined : ((await card.current?.tokenise()) ?? { kind: "unreachable" });
    if (!answer) await pay(typed, wanted, null, quote.due_today);
    else if (answer.kind === "token") await pay(typed, wanted, answer.token, quote.due_today);
    else {
      editing();
      setUnreachable(answer.kind === "unreachable");
    }
    busy.current = false;
  }, [typed, wanted, nothing, quote, current, pay, paying, editing]);
  const enter = useCallback(() => void press(), [press]);

  if (phase.kind === "resuming") return <Column aria-busy="true" />;
  if (phase.kind === "bought before") {
    return (
      <Column>
        <h1>You have bought this</h1>
        <p>
          Your order was paid{phase.progress.paid_at ? ` on ${day(phase.progress.paid_at)}` : ""}. It is
          charged once, however often this page is opened.
        </p>
        <p>
          <a href={phase.progress.confirmation ?? "#"}>See your confirmation</a>
        </p>
        <p>
          <PayButton type="button" onClick={buyAgain}>
            Buy another
          </PayButton>
        </p>
      </Column>
    );
  }
  const working = phase.kind === "paying" || phase.kind === "finding out";
  const error = problem ? new Refused(problem) : undefined;
  const wrongField = FIELDS.some((name) => fieldProblem(error, name));
  const asked = quoteProblem ? new Refused(quoteProblem) : undefined;
  const wrong = (name: string) => fieldProblem(error, name) ?? fieldProblem(asked, name);
  const couponProblem = chosen.coupons.map((_, i) => wrong(`coupons[${i}]`)).find(Boolean);
  return (
    <Column>
      <div>
        <h1>{counter.heading}</h1>
        {counter.text ? <p className="lead">{counter.text}</p> : null}
      </div>
      <form
        noValidate
        style={{ display: "contents" }}
        onSubmit={(event) => {
          event.preventDefault();
          void press();
        }}
      >
        <Choose counter={counter} chosen={chosen} problem={wrong} onChange={choose} />
        <TextField
          label="Email"
          name="email"
          type="email"
          autoComplete="email"
          value={typed.email}
          problem={missing.email ?? fieldProblem(error, "email")}
          onChange={(email) => set({ email })}
        />
        <TextField
          label="Name"
          name="name"
          autoComplete="name"
          value={typed.name}
          problem={missing.name ?? fieldProblem(error, "name")}
          onChange={(name) => set({ name })}
        />
        <CountryField
          counter={counter}
          value={typed.country}
          problem={fieldProblem(error, "country") ?? fieldProblem(asked, "buyer.country")}
          onChange={(country) => set({ country })}
        />
        <div hidden={nothing}>
          <CardFields
            ref={card}
            address={counter.fields_address}
            origin={counter.gateway_origin}
            onEnter={enter}
          />
        </div>
        {counter.coupons ? (
          <Coupons
            coupons={chosen.coupons}
            quote={quote}
            problem={couponProblem}
            onChange={(coupons) => choose({ coupons })}
          />
        ) : null}
        {quote ? (
          <div aria-busy={!current}>
            <Summary quote={quote} totalLabel="Today" />
          </div>
        ) : (
          <p className="lead">{quoteProblem?.detail ?? "Reckoning …"}</p>
        )}
        {quote?.notes.filter((note) => note.code === "picked_up").length ? (
          <p className="lead">Nothing is sent: collect it from {counter.site_name}.</p>
        ) : null}
        <div role="alert">
          {phase.kind === "form" && phase.refused ? (
            <Aside className="wrong">
              <strong>The card was refused. Nothing was charged.</strong>
              {phase.refused}
            </Aside>
          ) : null}
          {phase.kind === "form" && phase.nothingCharged ? (
            <Aside className="wrong">
              <strong>Nothing was charged.</strong>The connection broke before your payment was sent. Press
              the button once more.
            </Aside>
          ) : null}
          {unreachable ? (
            <Aside className="wrong">
              <strong>Nothing was charged.</strong>The card fields do not answer. Check your connection and
              try again.
            </Aside>
          ) : null}
          {problem && !wrongField ? <Aside className="wrong">{problem.detail}</Aside> : null}
        </div>
        {quote ? <Later quote={quote} /> : null}
        {quote && !quote.payable ? (
          <Aside>
            <strong>This cannot be paid here yet.</strong>
            {counter.site_name} cannot take payments that repeat at the moment. Nothing will be charged.
          </Aside>
        ) : null}
        <PayButton type="submit" aria-disabled={working || !quote?.payable || !current}>
          {working
            ? "One moment …"
            : `${counter.button} · ${quote ? (nothing ? "nothing to pay" : money(quote.currency, quote.due_today)) : "…"}`}
        </PayButton>
        <div role="status">
          {phase.kind === "finding out" ? (
            <Aside>
              <strong>Your bank has not answered yet.</strong>
              We keep asking, and this page tells you as soon as we know. You will not be charged twice. You
              can leave; if it went through, this address shows your confirmation.
            </Aside>
          ) : slow ? (
            <Aside>This takes longer than usual. Leave the page open; you will not be charged twice.</Aside>
          ) : null}
          <span className="hidden">
            {quote ? ["Due today:", money(quote.currency, quote.due_today), ...quote.plan].join(" ") : ""}
          </span>
        </div>
      </form>
    </Column>
  );
}

const FIELDS = ["email", "name", "country", "price", "variant", "quantity", "chosen"];

/** The choice in full, so that the server never has to guess what the page shows as chosen. */
function wantedOf(counter: Counter, chosen: Chosen): Wanted {
  const price = priceOf(counter, chosen);
  if (!price) return { coupons: chosen.coupons };
  return {
    price: price.id,
    variant: variantOf(price, chosen)?.id,
    quantity: quantityOf(price, chosen),
    chosen: price.suggested === null ? undefined : (chosen.chosen ?? price.suggested),
    coupons: chosen.coupons,
  };
}

/** True once paying has taken more than a few seconds. */
function useSlow(phase: Phase): boolean {
  const [slow, setSlow] = useState(false);
  useEffect(() => {
    if (phase.kind !== "paying") return;
    const timer = setTimeout(() => setSlow(true), 3000);
    return () => {
      clearTimeout(timer);
      setSlow(false);
    };
  }, [phase.kind]);
  return slow;
}

function check(typed: Typed): Partial<Typed> {
  const wrong: Partial<Typed> = {};
  if (!/^[^\s@]+@[^\s@]+$/.test(typed.email.trim()))
    wrong.email = "Type the email address your receipt goes to, as in name@example.org.";
  if (!typed.name.trim()) wrong.name = "Type your name.";
  return wrong;
}

const day = (at: string) => new Date(at).toLocaleString("en-GB", { dateStyle: "long", timeStyle: "short" });

interface FieldProps {
  label: string;
  name: keyof Typed;
  value: string;
  problem: string | undefined;
  onChange: (value: string) => void;
  type?: string;
  autoComplete?: string;
}

function TextField({ label, name, value, problem, onChange, type = "text", autoComplete }: FieldProps) {
  const id = useId();
  return (
    <Framed>
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        name={name}
        type={type}
        autoComplete={autoComplete}
        value={value}
        required
        aria-invalid={Boolean(problem)}
        aria-describedby={problem ? `${id}-problem` : undefined}
        onChange={(event) => onChange(event.target.value)}
      />
      {problem ? (
        <span className="problem" id={`${id}-problem`}>
          {problem}
        </span>
      ) : null}
    </Framed>
  );
}

function CountryField({
  counter,
  value,
  problem,
  onChange,
}: {
  counter: Counter;
  value: string;
  problem: string | undefined;
  onChange: (value: string) => void;
}) {
  const id = useId();
  return (
    <Framed>
      <label htmlFor={id}>Country</label>
      <select
        id={id}
        name="country"
        autoComplete="country"
        value={value}
        aria-invalid={Boolean(problem)}
        aria-describedby={problem ? `${id}-problem` : undefined}
        onChange={(event) => onChange(event.target.value)}
      >
        {counter.countries.map((country) => (
          <option key={country.code} value={country.code}>
            {country.name}
          </option>
        ))}
      </select>
      {problem ? (
        <span className="problem" id={`${id}-problem`}>
          {problem}
        </span>
      ) : null}
    </Framed>
  );
}
