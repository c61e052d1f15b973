import { useCallback, useEffect, useRef, useState } from "react";

import { api, data, fieldProblem, Refused, type Schemas } from "../api/client";
import { money } from "../kit/format/money";
import { CardFields, type CardHandle } from "./CardFields";
import { Choose, Group, WayList, priceOf, quantityOf, variantOf } from "./Choose";
import { Coupons } from "./Coupons";
import { Later, Summary } from "./Summary";
import { AddressFields, CountryField, emptyParcel, TextField, Ways } from "./Fields";
import { useForm } from "./forms";
import { Aside, Column, PayButton, TextButton, Tick, Together } from "./look";
import { framed, tell, type Counter } from "./boot";
import {
  keepChosen,
  keepTyped,
  keptChosen,
  keptTyped,
  type CheckoutCode,
  type Chosen,
  type Typed,
} from "./kept";
import { useQuote, useVisit, type Phase, type Wanted } from "./useVisit";

/** The checkout: who buys, the card, what it costs, pay. */
export function Checkout({
  code,
  fresh,
  back,
}: {
  code: CheckoutCode;
  fresh: Counter;
  back: string | undefined;
}) {
  const { counter, phase, problem, pay, paying, editing, buyAgain, giveUp } = useVisit(code, fresh, back);
  const [typed, setTyped] = useState<Typed>(() => typedAtFirst(code, fresh));
  const [guessed, setGuessed] = useState(fresh.guessed && !keptTyped(code).country);
  const [chosen, setChosen] = useState<Chosen>(() => keptChosen(code));
  const wanted = wantedOf(counter, chosen);
  const { quote, problem: quoteProblem, askAgain, current } = useQuote(counter.visit, typed, wanted);
  const [asked_way, setWay] = useState<string>();
  const offered = counter.pay.filter((one) => !quote || quote.pay_with.includes(one.gateway));
  const payWay = offered.find((one) => one.gateway === asked_way) ?? offered[0];
  const [missing, setMissing] = useState<Missing>({});
  const [livesHere, setLivesHere] = useState(false);
  const form = useForm(typed.country, counter.form);
  const parcelForm = useForm(typed.deliver_to?.country ?? typed.country, counter.form);
  const price = priceOf(counter, chosen);
  // What was just chosen, until the server has answered; else what it reckons with.
  const way =
    quote?.ways.find((one) => one.id === chosen.delivery) ?? quote?.ways.find((one) => one.id === quote.way);
  const sends = Boolean(price?.sends) && !way?.pick_up;
  const [unreachable, setUnreachable] = useState(false);
  const card = useRef<CardHandle>(null);
  const busy = useRef(false);
  const [pressed, setPressed] = useState(false);
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

  const setParcel = (part: Partial<NonNullable<Typed["deliver_to"]>>) => {
    if (typed.deliver_to) set({ deliver_to: { ...typed.deliver_to, ...part } });
  };

  const [password, setPassword] = useState("");
  const [number, setNumber] = useState<{ of: string; found: NumberState }>();
  const numberState = number && number.of === typed.tax_number ? number.found : undefined;
  const askNumber = async () => {
    const asked = typed.tax_number?.trim();
    if (!asked || numberState) return;
    try {
      const body = { visit: counter.visit, country: typed.country, number: asked };
      const found = await data(api.POST("/counter/api/tax-number", { body }));
      setNumber({ of: typed.tax_number ?? "", found });
      askAgain();
    } catch {
      // Asked once more when it is paid; the sale does not wait for it.
    }
  };

  const free = quote !== undefined && /^0(\.0+)?$/.test(quote.due_today);
  /** Neither is anything due, nor is a card kept to be charged later. */
  const nothing = free && !quote.keeps;
  /** Whether everything is there that a press needs; what is missing is told, and comes under the cursor. */
  const complete = useCallback(() => {
    if (busy.current || !quote || !current || (!nothing && !payWay)) return false;
    const wrong = check(typed);
    setMissing(wrong);
    setUnreachable(false);
    const first = quote.seen_in && !livesHere ? "lives_here" : Object.keys(wrong)[0];
    if (first) document.getElementsByName(first)[0]?.focus();
    return !first;
  }, [typed, nothing, quote, current, livesHere, payWay]);
  const press = useCallback(async () => {
    if (!complete() || !quote) return;
    busy.current = true;
    setPressed(true);
    paying();
    const expected = {
      way: nothing ? undefined : payWay?.gateway,
      expected: quote.due_today,
      lives_here: livesHere,
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
  }, [typed, wanted, nothing, quote, livesHere, payWay, password, complete, pay, paying, editing]);
  const enter = useCallback(() => void press(), [press]);
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
    const expected = quote.due_today;
    await pay(typed, wanted, { way: payWay.gateway, token, expected, lives_here: livesHere });
    busy.current = false;
  };

  if (phase.kind === "resuming") return <Column aria-busy="true" />;
  if (phase.kind === "leaving")
    return (
      <Leaving
        counter={counter}
        code={code}
        phase={phase}
        sent={pressed}
        problem={problem?.detail}
        giveUp={giveUp}
      />
    );
  if (phase.kind === "bought before") {
    const { state, paid_at, confirmation } = phase.progress;
    return (
      <Column>
        <h1>{state === "cancelled" ? "Your order was cancelled" : "You have bought this"}</h1>
        <p>
          {state === "paid"
            ? `Your order was paid${paid_at ? ` on ${day(paid_at)}` : ""}. It is charged once, however often this page is opened.`
            : state === "waiting"
              ? "Your order stands, and waits for your payment to arrive."
              : `${counter.site_name} has cancelled it.`}
        </p>
        {confirmation ? (
          <p>
            <a href={confirmation}>
              {state === "paid" ? "See your confirmation" : "See your order, and how to pay it"}
            </a>
          </p>
        ) : null}
        <p>
          <PayButton type="button" onClick={buyAgain}>
            Buy another
          </PayButton>
        </p>
      </Column>
    );
  }
  const working = ["paying", "finding out", "approving"].includes(phase.kind);
  const error = problem ? new Refused(problem) : undefined;
  const inAddress = (name: string) => fieldProblem(error, name);
  const wrongField =
    FIELDS.some((name) => fieldProblem(error, name)) || ADDRESS.some((name) => fieldProblem(error, name));
  const asked = quoteProblem ? new Refused(quoteProblem) : undefined;
  const undeliverable = fieldProblem(asked, "delivery");
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
        {quote?.later.length ? (
          <TextField
            label="Password, if you like (to look after it later)"
            name="password"
            type="password"
            autoComplete="new-password"
            value={password}
            problem={fieldProblem(error, "password")}
            about="Without one, a mailed link lets you in."
            onChange={setPassword}
          />
        ) : null}
        <CountryField
          countries={counter.countries}
          value={typed.country}
          problem={fieldProblem(error, "country") ?? fieldProblem(asked, "buyer.country")}
          about={guessed ? "Our guess. Change it if you live elsewhere." : undefined}
          onChange={(country) => {
            setGuessed(false);
            setLivesHere(false);
            set({ country, address: { street: typed.address.street, city: typed.address.city } });
          }}
        />
        {quote?.seen_in ? (
          <Aside role="group" aria-label="Where you live">
            <strong>Your connection seems to come from {quote.seen_in.name}.</strong>
            Tax depends on where you live, so please say which is right.
            <Tick>
              <input type="radio" name="lives_here" checked={livesHere} onChange={() => setLivesHere(true)} />
              I live in {nameOf(counter, typed.country)}
            </Tick>
            <Tick>
              <input
                type="radio"
                name="lives_here"
                checked={false}
                onChange={() => set({ country: quote.seen_in?.code ?? typed.country, address: {} })}
              />
              I live in {quote.seen_in.name}
            </Tick>
          </Aside>
        ) : null}
        {sends && !typed.deliver_to ? (
          <AddressFields
            form={form}
            where="address"
            value={withRegion(typed.address, quote?.region)}
            problem={inAddress}
            onChange={(part) => set({ address: { ...withRegion(typed.address, quote?.region), ...part } })}
          />
        ) : quote?.needs_postal_code && !typed.business ? (
          <AddressFields
            form={form}
            where="address"
            value={typed.address}
            only={["postal_code"]}
            problem={inAddress}
            onChange={(part) => set({ address: { ...typed.address, ...part } })}
          />
        ) : null}
        {sends ? (
          <Tick>
            <input
              type="checkbox"
              checked={Boolean(typed.deliver_to)}
              onChange={(event) =>
                set({ deliver_to: event.target.checked ? emptyParcel(typed.country) : undefined })
              }
            />
            Send it to another address
          </Tick>
        ) : null}
        {sends && typed.deliver_to ? (
          <Together>
            <legend>Where it goes</legend>
            <TextField
              label="For whom"
              name="deliver_to.name"
              autoComplete="shipping name"
              value={typed.deliver_to.name}
              problem={inAddress("deliver_to.name")}
              onChange={(name) => setParcel({ name })}
            />
            <CountryField
              countries={counter.countries}
              name="deliver_to.country"
              value={typed.deliver_to.country}
              problem={undefined}
              onChange={(country) => setParcel({ country, region: undefined, postal_code: undefined })}
            />
            <AddressFields
              form={parcelForm}
              where="deliver_to"
              value={typed.deliver_to}
              problem={inAddress}
              onChange={setParcel}
            />
          </Together>
        ) : null}
        {form.tax_number || price?.kind === "service" || price?.kind === "event" ? (
          <>
            <Tick>
              <input
                type="checkbox"
                checked={typed.business}
                onChange={(event) => set({ business: event.target.checked })}
              />
              I buy for a business
            </Tick>
            {typed.business ? (
              <>
                <TextField
                  label="Company"
                  name="company"
                  autoComplete="organization"
                  value={typed.company ?? ""}
                  problem={inAddress("company")}
                  onChange={(company) => set({ company })}
                />
                {sends && !typed.deliver_to ? null : (
                  <AddressFields
                    form={form}
                    where="address"
                    value={withRegion(typed.address, quote?.region)}
                    problem={inAddress}
                    onChange={(part) =>
                      set({ address: { ...withRegion(typed.address, quote?.region), ...part } })
                    }
                  />
                )}
                {form.tax_number ? (
                  <TextField
                    label={form.tax_number}
                    name="tax_number"
                    autoComplete="off"
                    required={false}
                    value={typed.tax_number ?? ""}
                    problem={
                      numberState && numberState.state !== "valid" && numberState.state !== "no_answer"
                        ? numberState.words
                        : undefined
                    }
                    about={numberState?.words}
                    onChange={(tax_number) => set({ tax_number })}
                    onLeave={() => void askNumber()}
                  />
                ) : null}
              </>
            ) : null}
          </>
        ) : null}
        {quote && quote.ways.length ? (
          <Ways
            ways={quote.ways}
            way={way?.id ?? null}
            currency={(amount) => money(quote.currency, amount)}
            onChange={(delivery) => choose({ delivery })}
          />
        ) : null}
        {undeliverable ? (
          <Aside className="wrong" role="alert">
            <strong>{undeliverable}</strong>
            Choose another address, or ask {counter.site_name}.
          </Aside>
        ) : null}
        {nothing ? null : (
          <PayWays ways={offered} chosen={payWay} onChange={setWay}>
            {payWay?.fields_address && payWay.origin ? (
              <CardFields
                key={payWay.gateway}
                ref={card}
                title={payWay.gateway.endsWith("cards") ? "Card details" : `${payWay.label} details`}
                address={payWay.fields_address}
                origin={payWay.origin}
                onEnter={enter}
              />
            ) : null}
            {inWindow ? (
              <p>
                <TextButton type="button" onClick={() => void pressInWindow()}>
                  Pay with a card that your browser keeps
                </TextButton>
              </p>
            ) : null}
          </PayWays>
        )}
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
            <Summary quote={quote} totalLabel={payWay?.waits && !free ? "To be paid" : "Today"} />
          </div>
        ) : (
          <p className="lead">{quoteProblem?.detail ?? "Reckoning …"}</p>
        )}
        {quote?.notes
          .filter((note) => note.code === "export" || note.code === "above_low_value")
          .map((note) => (
            <p className="lead" key={note.code}>
              Customs may ask whoever receives it for import tax.
            </p>
          ))}
        {quote?.notes.some((note) => note.code === "picked_up") || way?.pick_up ? (
          <p className="lead">Nothing is sent: collect it from {counter.site_name}.</p>
        ) : null}
        <div role="alert">
          {phase.kind === "form" && phase.refused ? (
            <Aside className="wrong">
              <strong>
                {payWay?.gateway.endsWith("cards") && !back ? "The card" : "The payment"} was refused. Nothing
                was charged.
              </strong>
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
        {phase.kind === "approving" ? <Approval address={phase.address} /> : null}
        {quote ? <Later quote={quote} waits={Boolean(payWay?.waits)} /> : null}
        {quote && !nothing && !offered.length ? (
          <Aside className="wrong" role="alert">
            <strong>There is no way to pay this.</strong>
            None of the ways in which {counter.site_name} is paid fits this amount, currency and country. Ask
            them.
          </Aside>
        ) : null}
        <PayButton type="submit" aria-disabled={working || !quote || !current || (!nothing && !payWay)}>
          {working
            ? "One moment …"
            : `${payWay?.waits && !free ? "Order" : counter.button} · ${quote ? (free ? (nothing ? "nothing to pay" : "nothing to pay now") : money(quote.currency, quote.due_today)) : "…"}`}
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

/**
 * How the browser's own payment window (W3C Payment Request) is opened for an amount, once it is known that it can pay;
 * undefined where the browser or the gateway has none.
 */
function useBrowserWindow(
  way: PayWay | undefined,
  quote: { currency: string; due_today: string } | undefined,
): (() => PaymentRequest) | undefined {
  const [can, setCan] = useState<string>();
  const method = way?.window?.method;
  const data = way?.window?.data;
  const open = (currency: string, value: string) =>
    new PaymentRequest([{ supportedMethods: method ?? "", data }], {
      total: { label: "Your order", amount: { currency, value } },
    });
  useEffect(() => {
    if (!method || !("PaymentRequest" in window)) return;
    let here = true;
    const asked = new Promise<boolean>((resolve) => {
      const total = { label: "Your order", amount: { currency: "EUR", value: "1.00" } };
      resolve(new PaymentRequest([{ supportedMethods: method, data }], { total }).canMakePayment());
    });
    asked.then(
      (it) => {
        if (here) setCan(it ? method : undefined);
      },
      () => undefined, // a browser that does not let this page ask has no window to offer
    );
    return () => {
      here = false;
    };
  }, [method, data]);
  return method && can === method && quote ? () => open(quote.currency, quote.due_today) : undefined;
}

/** The ways to pay, where there are several; what belongs to the chosen one stands below it. */
function PayWays({
  ways,
  chosen,
  onChange,
  children,
}: {
  ways: PayWay[];
  chosen: PayWay | undefined;
  onChange: (gateway: string) => void;
  children: React.ReactNode;
}) {
  if (ways.length < 2) {
    const only = ways[0];
    return (
      <div>
        {only && only.kind !== "fields" ? (
          <p>
            <strong>{only.label}</strong>. {only.text || USUAL_TEXT[only.kind]}
          </p>
        ) : null}
        {children}
      </div>
    );
  }
  return (
    <Group>
      <legend>How you pay</legend>
      <WayList>
        {ways.map((one) => {
          const chosenOne = one.gateway === chosen?.gateway;
          const text = one.text || (chosenOne ? USUAL_TEXT[one.kind] : "");
          return (
            <div key={one.gateway} className={chosenOne ? "chosen" : ""}>
              <label>
                <input
                  type="radio"
                  name="way"
                  value={one.gateway}
                  checked={chosenOne}
                  onChange={() => onChange(one.gateway)}
                />
                <span>
                  <span className="name">{one.label}</span>
                  {text ? (
                    <>
                      <br />
                      <span className="soft">{text}</span>
                    </>
                  ) : null}
                </span>
              </label>
              {chosenOne ? children : null}
            </div>
          );
        })}
      </WayList>
    </Group>
  );
}

const USUAL_TEXT = {
  fields: "",
  off_site: "You go there to pay, and come back here.",
  person: "The next page says how.",
};

/** The buyer pays at the gateway's own site: they go there from the top window, or in a window of its own. */
function Leaving({
  counter,
  code,
  phase,
  sent,
  problem,
  giveUp,
}: {
  counter: Counter;
  code: CheckoutCode;
  phase: Extract<Phase, { kind: "leaving" }>;
  /** Whether they are sent there at once: they have just pressed the button, here. */
  sent: boolean;
  problem: string | undefined;
  giveUp: () => Promise<void>;
}) {
  const label = counter.pay.find((one) => one.gateway === phase.way)?.label ?? "the payment service";
  const target = code === null ? "_blank" : framed ? "_top" : undefined;
  const left = useRef(false);
  useEffect(() => {
    if (!sent || framed || left.current) return;
    left.current = true;
    window.location.assign(phase.address);
  }, [sent, phase.address]);
  return (
    <Column>
      <h1>Pay with {label}</h1>
      <p>You pay on a page of its own. Nothing is charged before that, and this page goes on by itself.</p>
      {problem ? <Aside className="wrong">{problem}</Aside> : null}
      <PayButton as="a" href={phase.address} target={target} rel="noopener">
        Go to {label}
      </PayButton>
      <p>
        <TextButton type="button" onClick={() => void giveUp()}>
          Pay in another way
        </TextButton>
      </p>
    </Column>
  );
}

/** The page on which the buyer approves the charge; it is the bank's, in a frame of the gateway's origin. */
function Approval({ address }: { address: string }) {
  const frame = useRef<HTMLIFrameElement>(null);
  useEffect(() => {
    frame.current?.scrollIntoView({ block: "center" });
    frame.current?.focus();
  }, []);
  return (
    <Aside role="group" aria-label="Your bank asks you">
      <strong>Your bank asks you to approve the payment.</strong>
      Nothing is charged before that. This page goes on by itself.
      <iframe
        ref={frame}
        src={address}
        title="Approval by your bank"
        style={{ width: "100%", height: 300, border: 0, display: "block", marginTop: 10 }}
      />
    </Aside>
  );
}

const FIELDS = [
  "email",
  "name",
  "password",
  "country",
  "price",
  "variant",
  "quantity",
  "chosen",
  "company",
  "place",
];
const PARTS = ["name", "street", "district", "city", "region", "postal_code", "sorting_code"];
const ADDRESS = ["address", "deliver_to"].flatMap((of) => PARTS.map((part) => `${of}.${part}`));

type PayWay = Counter["pay"][number];
type NumberState = Schemas["NumberView"];
type Missing = { email?: string | undefined; name?: string | undefined };

/** What was typed before, or is filled in for a stand-in buyer. */
function typedAtFirst(code: CheckoutCode, fresh: Counter): Typed {
  const kept = keptTyped(code);
  const filled = fresh.filled;
  const country = filled?.country ?? kept.country ?? fresh.country;
  const known = fresh.countries.some((one) => one.code === country);
  return {
    email: filled?.email ?? kept.email ?? "",
    name: filled?.name ?? kept.name ?? "",
    country: known ? country : fresh.country,
    address: filled
      ? { region: filled.region ?? undefined, postal_code: filled.postal_code ?? undefined }
      : (kept.address ?? {}),
    deliver_to: kept.deliver_to,
    business: filled ? filled.tax_number !== null : (kept.business ?? false),
    company: kept.company,
    tax_number: filled?.tax_number ?? kept.tax_number,
  };
}

const nameOf = (counter: Counter, code: string) =>
  counter.countries.find((one) => one.code === code)?.name ?? code;

/** The address with the region that its postal code tells, where none is chosen. */
function withRegion(address: Typed["address"], region: string | null | undefined): Typed["address"] {
  return address.region || !region ? address : { ...address, region };
}

/** The choice in full, so that the server never has to guess what the page shows as chosen. */
function wantedOf(counter: Counter, chosen: Chosen): Wanted {
  const price = priceOf(counter, chosen);
  if (!price) return { coupons: chosen.coupons };
  return {
    price: price.id,
    variant: variantOf(price, chosen)?.id,
    quantity: quantityOf(price, chosen),
    chosen: price.suggested === null ? undefined : (chosen.chosen ?? price.suggested),
    delivery: chosen.delivery,
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

function check(typed: Typed): Missing {
  const wrong: Missing = {};
  if (!/^[^\s@]+@[^\s@]+$/.test(typed.email.trim()))
    wrong.email = "Type the email address your receipt goes to, as in name@example.org.";
  if (!typed.name.trim()) wrong.name = "Type your name.";
  return wrong;
}

const day = (at: string) => new Date(at).toLocaleString("en-GB", { dateStyle: "long", timeStyle: "short" });
