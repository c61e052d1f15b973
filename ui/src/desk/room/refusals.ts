// Why a charge was refused, as the desk says it.
export const REFUSALS: Record<string, string> = {
  no_funds: "not enough money in the account",
  lost: "the card was reported lost",
  expired: "the card has expired",
  not_approved: "the buyer or their bank has not approved it",
  card_details: "the card details had to be typed again",
  not_accepted: "the gateway no longer accepts the key; connect it again under Payments",
  not_connected: "the gateway that has the card is not connected",
  no_card: "there is no card yet",
  given_up: "the buyer did not wait for it",
  returned: "the bank sent it back",
  closed: "the account is closed",
  not_paid: "it was not paid in time",
  other: "the bank gave no reason",
};
