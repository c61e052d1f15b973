// Something is asked of a subscription, shown first and then agreed to.
import { useRef, useEffect } from "react";
import { TextButton, PayButton } from "../counter/look";
import { money } from "../kit/format/money";
import { type Proposal, Rows, day } from "./standing";

export type Asking = "change" | "quantity" | "pause" | "cancel" | "card" | undefined;

export const NO_PROBLEM = {
  type: "about:blank",
  title: "",
  status: 0,
  detail: "",
  errors: [],
  current: null,
};

export function Ask({
  now,
  it,
  set,
  words,
}: {
  now: Asking;
  it: Exclude<Asking, undefined>;
  set: (to: Asking) => void;
  words: string;
}) {
  return (
    <TextButton type="button" aria-expanded={now === it} onClick={() => set(now === it ? undefined : it)}>
      {words}
    </TextButton>
  );
}

export function Agree({
  of,
  busy,
  onYes,
  onNo,
}: {
  of: Proposal;
  busy: boolean;
  onYes: () => void;
  onNo: () => void;
}) {
  const nothing = Number(of.due) === 0;
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => heading.current?.focus(), []);
  return (
    <section aria-label="What it comes to">
      <h2 ref={heading} tabIndex={-1}>
        {of.quantity > 1 ? `${of.quantity} × ` : ""}
        {of.plan}
      </h2>
      <Rows>
        {of.when === "now" && Number(of.charge) ? (
          <>
            <dt>{of.kind === "pay_off" ? "The payments that are left" : "The new plan"}</dt>
            <dd>{money(of.currency, of.charge)}</dd>
          </>
        ) : null}
        {Number(of.from_balance) ? (
          <>
            <dt>Paid with what you have not used</dt>
            <dd>{money(of.currency, `-${of.from_balance}`)}</dd>
          </>
        ) : null}
        <dt className="sum">Due now</dt>
        <dd className="sum">{money(of.currency, of.due)}</dd>
        {Number(of.balance) ? (
          <>
            <dt>Left for the next charges</dt>
            <dd>{money(of.currency, of.balance)}</dd>
          </>
        ) : null}
      </Rows>
      <p>
        {of.kind === "pay_off"
          ? "Then everything is paid."
          : of.when === "now"
            ? `The next charge is on ${day(of.next_on)}.`
            : `It takes effect on ${day(of.next_on)}, when what you have paid for ends. Until then you can take it back.`}
      </p>
      <PayButton
        type="button"
        aria-disabled={busy}
        onClick={busy ? undefined : onYes}
        style={{ width: "100%" }}
      >
        {busy ? "One moment …" : nothing ? "Change it" : `Pay ${money(of.currency, of.due)}`}
      </PayButton>
      <TextButton type="button" onClick={onNo}>
        Leave it as it is
      </TextButton>
    </section>
  );
}
