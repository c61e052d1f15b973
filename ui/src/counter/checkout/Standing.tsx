// How it stands with paying: refused, under way, taking long, or done before.
import { money } from "../../kit/format/money";
import { Aside, Column, PayButton } from "../look";
import { ADDRESS, day, FIELDS, useSlow } from "../typed";
import type { Phase } from "../useVisit";
import { wholeSentence } from "../../api/client";
import type { UnderWay, usePress } from "./useCheckout";

/** Instead of the form, for whoever has bought here already. */
export function BoughtBefore({
  checkout,
  phase,
}: {
  checkout: UnderWay;
  phase: Phase & { kind: "bought before" };
}) {
  const { state, paid_at, confirmation } = phase.progress;
  return (
    <Column>
      <h1>{state === "cancelled" ? "Your order was cancelled" : "You have bought this"}</h1>
      <p>
        {state === "paid"
          ? `Your order was paid${paid_at ? ` on ${day(paid_at)}` : ""}. It is charged once, however often this page is opened.`
          : state === "waiting"
            ? "Your order stands, and waits for your payment to arrive."
            : `${checkout.counter.site_name} has cancelled it.`}
      </p>
      {confirmation ? (
        <p>
          <a href={confirmation}>
            {state === "paid" ? "See your confirmation" : "See your order, and how to pay it"}
          </a>
        </p>
      ) : null}
      <p>
        <PayButton type="button" onClick={checkout.buyAgain}>
          Buy another
        </PayButton>
      </p>
    </Column>
  );
}

/** Why nothing was charged, said at once. */
export function NotCharged({
  checkout,
  unreachable,
  hindrance,
}: { checkout: UnderWay } & Pick<ReturnType<typeof usePress>, "unreachable" | "hindrance">) {
  const { phase, payWay, back, problem, inAnswer } = checkout;
  const wrongField =
    [...FIELDS, ...ADDRESS].some((name) => inAnswer(name)) ||
    problem?.errors.some((one) => one.path.startsWith("items["));
  return (
    <div role="alert">
      {phase.kind === "form" && phase.refused ? (
        <Aside className="wrong">
          <strong>
            {payWay?.gateway.endsWith("cards") && !back ? "The card" : "The payment"} was refused. Nothing was
            charged.
          </strong>
          {phase.refused}
        </Aside>
      ) : null}
      {phase.kind === "form" && phase.nothingCharged ? (
        <Aside className="wrong">
          <strong>Nothing was charged.</strong>The connection broke before your payment was sent. Press the
          button once more.
        </Aside>
      ) : null}
      {unreachable ? (
        <Aside className="wrong">
          <strong>Nothing was charged.</strong>The card fields do not answer. Check your connection and try
          again.
        </Aside>
      ) : null}
      {hindrance ? (
        <Aside className="wrong">
          <strong>It cannot be paid yet. Nothing was charged.</strong>
          {hindrance.errors.length
            ? hindrance.errors.map((one) => `${wholeSentence(one.message)}. ${one.remedy}.`).join(" ")
            : hindrance.detail}
        </Aside>
      ) : null}
      {problem && !wrongField ? <Aside className="wrong">{problem.detail}</Aside> : null}
    </div>
  );
}

/** The pay button, with what it charges. */
export function Pay({ checkout }: { checkout: UnderWay }) {
  const { phase, payWay, free, nothing, quote, quoteProblem, current, counter } = checkout;
  const working = ["paying", "finding out", "approving"].includes(phase.kind);
  const due = (of: NonNullable<UnderWay["quote"]>) =>
    free ? (nothing ? "nothing to pay" : "nothing to pay now") : money(of.currency, of.due_today);
  // Where something is wrong a press says what; where an answer is on its way it waits.
  const waits = !quoteProblem && (!quote || !current || (!nothing && !payWay));
  if (checkout.short && phase.kind === "form")
    return (
      <Aside role="status">
        <strong>It cannot be paid now.</strong>
        {counter.several
          ? "Not all of your basket is left. Change it above."
          : counter.prices.every((one) => one.sold_out)
            ? `${counter.site_name} has none left at the moment. Nothing is charged.`
            : "Choose another above."}
      </Aside>
    );
  return (
    <PayButton type="submit" aria-disabled={working || waits}>
      {working
        ? "One moment …"
        : `${payWay?.waits && !free ? "Order" : counter.button} · ${quote ? due(quote) : "…"}`}
    </PayButton>
  );
}

/** What is said while one waits, and what is due for those who do not see it. */
export function Waiting({ checkout }: { checkout: UnderWay }) {
  const { phase, quote } = checkout;
  const slow = useSlow(phase);
  return (
    <div role="status">
      {phase.kind === "finding out" ? (
        <Aside>
          <strong>Your bank has not answered yet.</strong>
          We keep asking, and this page tells you as soon as we know. You will not be charged twice. You can
          leave; if it went through, this address shows your confirmation.
        </Aside>
      ) : slow ? (
        <Aside>This takes longer than usual. Leave the page open; you will not be charged twice.</Aside>
      ) : null}
      <span className="hidden">
        {quote ? ["Due today:", money(quote.currency, quote.due_today), ...quote.plan].join(" ") : ""}
      </span>
    </div>
  );
}
