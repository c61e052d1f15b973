import { useCallback } from "react";
import { fieldProblem } from "../../api/client";
import { money } from "../../kit/format/money";
import { framed, type Counter } from "../boot";
import { Basket } from "../Basket";
import { CardFields } from "../CardFields";
import { Choose } from "../Choose";
import { Coupons } from "../Coupons";
import { CurrencyField } from "../CurrencyField";
import { TextField, Ways } from "../Fields";
import type { CheckoutCode } from "../kept";
import { Aside, Column, TextButton } from "../look";
import { Approval, Leaving, PayWays } from "../PayWays";
import { Later, Summary } from "../Summary";
import { Address, Business, Country, Who } from "./Buyer";
import { BoughtBefore, NotCharged, Pay, Waiting } from "./Standing";
import { type UnderWay, useCheckout, usePress } from "./useCheckout";

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
  const checkout = useCheckout(code, fresh, back);
  const pressing = usePress(checkout);
  const { counter, phase, problem, chosen, choose, wrong } = checkout;
  if (phase.kind === "resuming") return <Column aria-busy="true" />;
  if (phase.kind === "leaving")
    return (
      <Leaving
        counter={counter}
        code={code}
        phase={phase}
        sent={pressing.pressed}
        problem={problem?.detail}
        giveUp={checkout.giveUp}
      />
    );
  if (phase.kind === "bought before") return <BoughtBefore checkout={checkout} phase={phase} />;
  return (
    <Column>
      <div>
        <h1>{counter.heading}</h1>
        {counter.text ? <p className="lead">{counter.text}</p> : null}
      </div>
      {fresh.tries_until ? (
        <Aside>
          You are a test buyer until {timeOf(fresh.tries_until)}: nothing is charged, nothing is sent.{" "}
          {framed ? null : <a href="/stop-trying">End it now</a>}
        </Aside>
      ) : null}
      <form
        noValidate
        style={{ display: "contents" }}
        onSubmit={(event) => {
          event.preventDefault();
          void pressing.press();
        }}
      >
        <CurrencyField counter={counter} currencies={checkout.currencies} />
        {counter.several ? (
          <Basket checkout={checkout} />
        ) : (
          <Choose counter={counter} chosen={chosen} problem={wrong} onChange={choose} />
        )}
        {checkout.prices.length ? <Rest checkout={checkout} pressing={pressing} /> : null}
      </form>
    </Column>
  );
}

/** The time of an instant, on this browser's clock. */
const timeOf = (at: string) =>
  new Date(at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** All that comes after what is taken. */
function Rest({ checkout, pressing }: { checkout: UnderWay; pressing: ReturnType<typeof usePress> }) {
  const { counter, phase, chosen, choose, wrong, quote, payWay } = checkout;
  return (
    <>
      <Who checkout={checkout} />
      <Country checkout={checkout} />
      <Address checkout={checkout} />
      <Business checkout={checkout} />
      <Delivery checkout={checkout} />
      <Gateways checkout={checkout} {...pressing} />
      {counter.coupons ? (
        <Coupons
          words={counter.coupon_words}
          coupons={chosen.coupons}
          quote={quote}
          problem={chosen.coupons.map((_, i) => wrong(`coupons[${i}]`)).find(Boolean)}
          onChange={(coupons) => choose({ coupons })}
        />
      ) : null}
      <Costs checkout={checkout} />
      <NotCharged checkout={checkout} {...pressing} />
      {phase.kind === "approving" ? <Approval address={phase.address} /> : null}
      {quote ? <Later quote={quote} waits={Boolean(payWay?.waits)} /> : null}
      {quote && !checkout.nothing && !checkout.offered.length ? (
        <Aside className="wrong" role="alert">
          <strong>There is no way to pay this.</strong>
          None of the ways in which {counter.site_name} is paid fits this amount, currency and country.{" "}
          {counter.chooser && counter.currencies.length > 1
            ? "Choose another currency, or ask them."
            : "Ask them."}
        </Aside>
      ) : null}
      <Pay checkout={checkout} />
      <Waiting checkout={checkout} />
    </>
  );
}

/** The ways of delivery and a number to call, or that there is none. */
function Delivery({ checkout }: { checkout: UnderWay }) {
  const { counter, quote, delivery, choose, asked, typed, set, missing, inAnswer } = checkout;
  const undeliverable = fieldProblem(asked, "delivery");
  return (
    <>
      {quote && quote.ways.length ? (
        <Ways
          ways={quote.ways}
          way={delivery?.id ?? null}
          currency={(amount) => money(quote.currency, amount)}
          onChange={(way) => choose({ delivery: way })}
        />
      ) : null}
      {checkout.sends && delivery?.telephone ? (
        <TextField
          label="Telephone, for the carrier"
          required={delivery.telephone === "needed"}
          name="telephone"
          type="tel"
          autoComplete="tel"
          value={typed.telephone ?? ""}
          problem={missing.telephone ?? inAnswer("telephone")}
          onChange={(telephone) => set({ telephone })}
        />
      ) : null}
      {undeliverable ? (
        <Aside className="wrong" role="alert">
          <strong>{undeliverable}</strong>
          Choose another address, or ask {counter.site_name}.
        </Aside>
      ) : null}
    </>
  );
}

/** The ways to pay, with the gateway's own fields in the one that is chosen. */
function Gateways({
  checkout,
  card,
  press,
  pressInWindow,
}: { checkout: UnderWay } & Pick<ReturnType<typeof usePress>, "card" | "press" | "pressInWindow">) {
  const { nothing, offered, payWay, setWay } = checkout;
  const enter = useCallback(() => void press(), [press]);
  if (nothing) return null;
  return (
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
      {pressInWindow ? (
        <p>
          <TextButton type="button" onClick={() => void pressInWindow()}>
            Pay with a card that your browser keeps
          </TextButton>
        </p>
      ) : null}
    </PayWays>
  );
}

/** What it costs, and what is to be known about that. */
function Costs({ checkout }: { checkout: UnderWay }) {
  const { counter, quote, quoteProblem, current, payWay, free, delivery } = checkout;
  return (
    <>
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
      {quote?.notes.some((note) => note.code === "picked_up") || delivery?.pick_up ? (
        <p className="lead">Nothing is sent: collect it from {counter.site_name}.</p>
      ) : null}
    </>
  );
}
