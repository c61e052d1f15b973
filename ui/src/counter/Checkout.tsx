import { useState, useRef, useEffect, useCallback } from "react";
import { data, api, Refused, fieldProblem } from "../api/client";
import { money } from "../kit/format/money";
import { type Counter, tell } from "./boot";
import { type CardHandle, CardFields } from "./CardFields";
import { Choose } from "./Choose";
import { priceOf } from "./chosen";
import { Coupons } from "./Coupons";
import { TextField, CountryField, AddressFields, emptyParcel, Ways } from "./Fields";
import { useForm } from "./forms";
import {
  type CheckoutCode,
  type Typed,
  keptTyped,
  type Chosen,
  keptChosen,
  keepTyped,
  keepChosen,
} from "./kept";
import { Column, PayButton, Aside, Tick, Together, TextButton } from "./look";
import { Leaving, PayWays, Approval } from "./PayWays";
import { Summary, Later } from "./Summary";
import {
  typedAtFirst,
  wantedOf,
  type Missing,
  useSlow,
  type NumberState,
  check,
  day,
  FIELDS,
  ADDRESS,
  nameOf,
  withRegion,
} from "./typed";
import { useBrowserWindow } from "./useBrowserWindow";
import { useVisit, useQuote } from "./useVisit";

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
