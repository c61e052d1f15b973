// Orders in words.
import type { Schemas } from "../../api/client";
import { REFUSALS } from "../room/refusals";

export const QUESTIONED: Record<string, string> = {
  not_recognised: "they do not recognise it",
  not_received: "they say that nothing came",
  not_as_described: "they say that it is not what was promised",
  returned: "their bank took the direct debit back",
  other: "the bank gives no reason",
};

export const NUMBERS = {
  valid: "confirmed by the official register",
  invalid: "unknown to the official register: tax was charged",
  malformed: "of a wrong form: tax was charged",
  no_answer: "not confirmed, since the official register did not answer: tax was charged",
} as const;

export const KINDS = { invoice: "Invoice", receipt: "Receipt", credit_note: "Credit note" } as const;

export function inWords(event: Schemas["EventView"]): string {
  const body = event.body as Record<string, string>;
  switch (event.kind) {
    case "order.placed":
      return `The order was placed: ${body.currency} ${body.amount}.`;
    case "charge.attempted":
      return `The gateway was asked to charge ${body.currency} ${body.amount}.`;
    case "charge.refused":
      return `The charge was refused: ${REFUSALS[body.reason ?? "other"] ?? body.reason}.`;
    case "charge.made":
      return `${body.currency} ${body.amount} was charged.`;
    case "order.paid":
      return "The order is paid.";
    case "order.waiting":
      return "The order stands, and waits for its money.";
    case "order.hold_ended":
      return "What was kept aside for the order went back on sale; it still waits for its money.";
    case "order.short":
      return body.coupon
        ? `It was paid when its coupon ${body.coupon} had been used by others as often as it can be.`
        : `It was paid when others had bought what was left of ${body.product}.`;
    case "order.refused":
      return `A limit refused the order: ${(body.reasons as unknown as string[]).join(" ")}`;
    case "order.paid_by_hand":
      return "Somebody marked it as paid.";
    case "order.given_up":
      return "Somebody decided that it will not be paid.";
    case "order.sent":
      return "A parcel was sent, and the buyer was told.";
    case "order.asked_back":
      return `The buyer said that they give something back, under ${body.code}.`;
    case "order.give_back_done":
      return "Somebody looked after what the buyer gives back.";
    case "order.give_back_declined":
      return "Somebody declined what the buyer wanted to give back, and told them why.";
    case "order.cancelled":
      return "The order is cancelled.";
    case "review.passed":
      return "Somebody looked through it and let it pass.";
    case "review.given_back":
      return "Somebody looked through it and gave it back.";
    case "dispute.opened":
      return `The buyer disputes ${body.currency} ${body.amount} at their bank.`;
    case "dispute.won":
      return `The dispute about ${body.currency} ${body.amount} was decided for the shop.`;
    case "dispute.lost":
      return `The dispute about ${body.currency} ${body.amount} was lost; the money has gone back.`;
    case "refund.asked":
      return `The gateway was asked to give back ${body.currency} ${body.amount}.`;
    case "refund.made":
      return `${body.currency} ${body.amount} was given back.`;
    case "refund.refused":
      return `The gateway refused to give ${body.currency} ${body.amount} back.`;
    case "refund.contradicted":
    case "charge.contradicted":
      return `The gateway's books and ours differ: ${body.why}. Somebody has to look.`;
    case "card.kept":
      return "The card was kept at the gateway, for what is charged later.";
    default:
      return event.kind.replaceAll(/[._]/g, " ");
  }
}
