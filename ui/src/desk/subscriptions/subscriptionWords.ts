// What the desk calls the states of a subscription, and how it says what happened.
import type { Schemas } from "../../api/client";
import { day } from "../../kit/format/when";
import { REFUSALS } from "../room/refusals";

export const STATES = {
  trial: "in a trial",
  active: "active",
  failing: "payment failing",
  paused: "paused",
  ended: "ended",
  completed: "paid off",
} as const satisfies Record<Schemas["SubscriptionSummary"]["state"], string>;

/** Why a charge that nobody waits for was refused. */
export const REASONS: Record<string, string> = {
  ...REFUSALS,
  not_approved: "the buyer has not approved it in time",
  card_details: "the card is not on file at the gateway any more",
  not_accepted: "the gateway does not accept the shop’s key; connect it again under Payments",
};

const ENDS: Record<string, string> = {
  cancelled: "It was cancelled.",
  at_once: "It was ended at once.",
  unpaid: "The days of grace were over.",
  refunded: "It was given back.",
};

type Event = Schemas["SubscriptionEvent"];

const text = (value: unknown) => (typeof value === "string" ? value : "");
const money = ({ body }: Event) => `${text(body["currency"])} ${text(body["amount"])}`.trim();
const who = ({ body }: Event) => (body["by"] === "desk" ? " The desk did it for the customer." : "");
const said = ({ body }: Event) => {
  const words = text(body["said"]) || (body["by"] ? text(body["reason"]) : "");
  return words && !ENDS[words] ? ` “${words}”` : "";
};

/** What was given back of the paid time, where something was. */
const backOf = (event: Event) =>
  (event.body["amount"] ? ` ${money(event)} of what was paid was given back.` : "") +
  (event.body["kept"] ? ` ${text(event.body["kept"])} of it went to the balance.` : "");

/** What happened, in a sentence. */
export function happened(event: Event): string {
  const { kind, body } = event;
  const reason = REASONS[text(body["reason"])] ?? "";
  switch (kind) {
    case "begun":
      return "It began.";
    case "charged":
      return `${money(event)} was paid.`;
    case "charge_failed":
      return `${money(event)} was refused${reason ? `: ${reason}` : ""}.`;
    case "put_off":
      return `${money(event)} could not be charged: ${reason}. It is tried again, and the customer is not bothered.`;
    case "approval_asked":
      return "The bank wants the customer’s approval. They were sent a link.";
    case "trial_ends":
      return "A mail said that the trial ends.";
    case "renewal_ahead":
      return "A mail said that it renews.";
    case "card_expires":
      return "A mail said that the card expires.";
    case "changed":
      return `It was changed to ${text(body["plan"]) || text(body["price"])}.${who(event)}`;
    case "will_change":
      return `It will be changed to ${text(body["plan"]) || text(body["price"])}.${who(event)}`;
    case "not_changed":
      return `The change was not paid${reason ? `: ${reason}` : ""}. Everything stays.`;
    case "cancelled":
      return `It was cancelled, and goes on until the paid time ends.${said(event)}${who(event)}`;
    case "taken_back":
      return `What was to come was taken back.${who(event)}`;
    case "will_pause":
      return `It will pause${body["resumes_on"] ? `, until ${day(text(body["resumes_on"]))}` : ""}.${who(event)}`;
    case "paused":
      return "It paused.";
    case "resumed":
      return `It goes on.${who(event)}`;
    case "ended":
      return `It ended. ${ENDS[text(body["reason"])] ?? ""}${backOf(event)}${said(event)}${who(event)}`;
    case "completed":
      return "That was the last payment.";
    case "paid_off":
      return `The rest, ${money(event)}, was paid at once.`;
    case "restarted":
      return `It was started again.${who(event)}`;
    case "new_card":
      return `A new card is on file.${who(event)}`;
    case "buyer_changed":
      return `Name, address or tax number were changed.${who(event)}`;
    case "moved_over":
      return "It was moved over from elsewhere, without a charge.";
    default:
      return kind.replaceAll("_", " ");
  }
}
