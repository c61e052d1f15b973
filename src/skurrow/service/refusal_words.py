"""Why a charge was refused, in words for buyers: the one table of them. Mails have theirs by language (`mail/mails`),
and a test sees that no reason is without words anywhere."""

from __future__ import annotations

_AT_COUNTER: dict[str, str] = {
    "no_funds": "The bank says there is not enough money in the account. Try another card.",
    "lost": "The bank does not take this card any more. Try another card, or ask your bank.",
    "expired": "The bank says this card has expired. Try another card.",
    "card_details": "The card details were not kept long enough. Type the card once more.",
    "not_approved": "The charge was not approved. Nothing was charged; pay again, or in another way.",
    "given_up": "You did not wait for it. Nothing was charged.",
    "returned": "Your bank has sent the direct debit back. Nothing was charged; pay in another way.",
    "closed": "The bank says that this account is closed. Use another one.",
    "not_paid": "The time in which it was to be paid is over. Order again, or pay in another way.",
    "not_taken": "This order cannot be taken. Nothing was charged. Ask the shop if you do not know why.",
    "not_accepted": "The shop's payment service is not working at the moment. Try again later, or tell the shop.",
    "other": "The bank refused this card and did not say why. Try another card, or ask your bank.",
}
"""For whoever is about to pay: what was, and what to do now. `not_taken` is the shop's own limit against fraud."""

_AT_ACCOUNT: dict[str, str] = {
    "no_funds": "Your bank says that there is not enough money on the account.",
    "lost": "Your bank says that this card was reported lost.",
    "expired": "This card has expired.",
    "not_approved": "Your bank has not approved it.",
    "closed": "This account is closed.",
    "card_details": "Type the card once more.",
}
"""For customers who look after what they have, where it differs from a refusal without a word."""


WITH_WORDS = frozenset(_AT_COUNTER)
"""The reasons that are put into words at the counter: all there are."""


def at_counter(reason: str | None) -> str:
    """What a buyer reads at the counter."""
    return _AT_COUNTER.get(reason or "other", _AT_COUNTER["other"])


def at_account(reason: str | None) -> str:
    """What a customer reads at the account page."""
    return _AT_ACCOUNT.get(reason or "", "Your bank has refused it, and does not say why.")
