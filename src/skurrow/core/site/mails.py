"""Mails to buyers: who they are from, and what the owner says in them beside our own words.

Every text may be a string, which counts in every language, or a map by language (`{en: …, nl: …}`): a mail in a
language that the map does not have goes out in our own words alone.

>>> said("Packed on Tuesdays.", "nl"), said({"en": "Packed on Tuesdays."}, "nl")
('Packed on Tuesdays.', None)
>>> filled("Thank you, {buyer.name}.", {"buyer.name": "Joke Kok"}), filled("For {day}.", {"day": ""})
('Thank you, Joke Kok.', None)
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Literal, get_args

from pydantic import AfterValidator, Discriminator, Field, StringConstraints, Tag

from skurrow.core.bounds import one_line, printable
from skurrow.core.site.values import Email, Frozen, Name

Group = Literal["orders", "subscriptions", "account"]

MailKind = Literal[
    "order_paid",
    "order_to_transfer",
    "order_on_invoice",
    "order_to_collect",
    "order_debit",
    "order_reminder",
    "order_not_paid",
    "order_cancelled",
    "order_sent",
    "order_refunded",
    "order_asked_back",
    "order_not_given_back",
    "begun",
    "charged",
    "completed",
    "paid_off",
    "charge_failed",
    "approval_asked",
    "trial_ends",
    "trial_ends_without_card",
    "renewal_ahead",
    "card_expires",
    "changed",
    "will_change",
    "restarted",
    "not_changed",
    "cancelled",
    "taken_back",
    "will_pause",
    "paused",
    "resumed",
    "ended",
    "has_plan",
    "moved_over",
    "sign_in",
]
"""What happened that a mail tells of; the first word of an order's says so."""

_ORDER = ("buyer.name", "order.code", "order.things", "shop.name", "amount")
_PLAN = ("buyer.name", "thing", "shop.name")


@dataclass(frozen=True, slots=True)
class About:
    """A mail: what the desk calls it, when it goes out, and what its own sentences may name."""

    group: Group
    name: str
    when: str
    facts: tuple[str, ...]


def _of_orders(name: str, when: str, *more: str) -> About:
    return About("orders", name, when, (*_ORDER, *more))


def _of_plans(name: str, when: str, *more: str) -> About:
    return About("subscriptions", name, when, (*_PLAN, *more))


ABOUT: Mapping[str, About] = {
    "order_paid": _of_orders("Paid", "When an order is paid"),
    "order_to_transfer": _of_orders("Waits for a transfer", "When a bank transfer was chosen", "day"),
    "order_on_invoice": _of_orders("On invoice", "When it is to be paid on invoice", "day"),
    "order_to_collect": _of_orders("Paid on collection", "When it is paid as it is collected"),
    "order_debit": _of_orders("Debit accepted", "When a direct debit is under way", "day"),
    "order_reminder": _of_orders("Reminder", "Some days before a transfer or an invoice has to be paid", "day"),
    "order_not_paid": _of_orders("Not paid", "When the money did not arrive, or the bank sent it back"),
    "order_cancelled": _of_orders("Cancelled", "When the desk cancels an order"),
    "order_sent": _of_orders("Sent", "When a parcel is marked as sent"),
    "order_refunded": _of_orders("Refunded", "When money is given back"),
    "order_asked_back": _of_orders("Giving back, received", "When a buyer says that they give something back"),
    "order_not_given_back": _of_orders("Not taken back", "When you decline what a buyer wanted to give back"),
    "begun": _of_plans("Begun", "When a subscription or a trial begins", "amount"),
    "charged": _of_plans("Renewed", "When a later payment was made", "amount"),
    "completed": _of_plans("Paid in full", "With the last payment of a set of instalments"),
    "paid_off": _of_plans("Paid off", "When the rest of a set is paid at once", "amount"),
    "charge_failed": _of_plans("Payment failed", "When a later payment is refused", "amount", "day"),
    "approval_asked": _of_plans("Bank asks", "When the bank wants to hear from the buyer first", "amount"),
    "trial_ends": _of_plans("Trial ends", "Some days before a trial ends", "day"),
    "trial_ends_without_card": _of_plans("Trial ends, no card", "The same, where no card is on file", "day"),
    "renewal_ahead": _of_plans("Renews soon", "Some days before a yearly renewal", "day"),
    "card_expires": _of_plans("Card expires", "Some days before the card on file ends", "day", "card"),
    "changed": _of_plans("Changed", "When another plan holds from now on", "amount", "plan"),
    "will_change": _of_plans("Will change", "When another plan holds from the next payment on", "day", "plan"),
    "restarted": _of_plans("Begun again", "When what had ended is taken up again", "amount"),
    "not_changed": _of_plans("Not changed", "When paying for a change was refused", "amount"),
    "cancelled": _of_plans("Cancelled", "When a subscription is cancelled", "day"),
    "taken_back": _of_plans("Goes on", "When a cancellation is taken back"),
    "will_pause": _of_plans("Will pause", "When a pause is asked for", "day"),
    "paused": _of_plans("Paused", "When a pause begins"),
    "resumed": _of_plans("Goes on after a pause", "When a pause ends"),
    "ended": _of_plans("Ended", "When a subscription is over"),
    "has_plan": _of_plans("Has it already", "When somebody orders a plan that they have", "plan"),
    "moved_over": _of_plans("Moved over", "When a member of elsewhere is moved over"),
    "sign_in": About("account", "Sign-in link", "When a customer wants to see what they have", ("shop.name",)),
}
"""Every mail, in the order in which the desk lists them."""

assert tuple(ABOUT) == get_args(MailKind)

FACTS: Mapping[str, str] = {
    "buyer.name": "the buyer's name",
    "order.code": "the order's code",
    "order.things": "what was bought",
    "shop.name": "your name",
    "amount": "the amount",
    "day": "the day",
    "thing": "what is subscribed to",
    "card": "the end of the card's number",
    "plan": "the other plan",
}
"""What own sentences may name, in words."""

PLACEHOLDER = re.compile(r"\{([A-Za-z_. ]*)\}")
_GAP = re.compile(r"\n[ \t]*\n\s*")

Language = Annotated[str, StringConstraints(pattern=r"^(?P<language>[a-z]{2,3})$")]
_Line = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), AfterValidator(one_line)]
_Words = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=2000), AfterValidator(printable)
]
_BY_LANGUAGE = Discriminator(lambda given: "|map" if isinstance(given, Mapping) else "|text")
OwnLine = Annotated[
    Annotated[_Line, Tag("|text")] | Annotated[dict[Language, _Line], Field(min_length=1, max_length=60), Tag("|map")],
    _BY_LANGUAGE,
]
"""A line of the owner's: in every language, or by language."""

OwnWords = Annotated[
    Annotated[_Words, Tag("|text")]
    | Annotated[dict[Language, _Words], Field(min_length=1, max_length=60), Tag("|map")],
    _BY_LANGUAGE,
]
"""Sentences of the owner's, the same way; an empty line begins a new paragraph."""


class OwnMail(Frozen):
    """What the owner says in one mail: a `subject` in place of ours, `text` that stands after our first sentence."""

    id: MailKind
    subject: OwnLine | None = None
    text: OwnWords | None = None


class Mails(Frozen):
    """Mails to buyers. `sender` is the name that they come from, where it is not the site's, and `reply_to` where
    answers go, where that is not the email for questions on papers. `foot` stands under each. `pictures` says whether
    what was bought is shown; `note_owners` whether each sale is noted to the site's owners."""

    sender: Name | None = None
    reply_to: Email | None = None
    foot: OwnWords | None = None
    pictures: bool = True
    note_owners: bool = True
    own: Annotated[list[OwnMail], Field(max_length=len(ABOUT))] = Field(default_factory=list)

    def of(self, kind: str) -> OwnMail | None:
        """What the owner says in a mail of a kind."""
        return next((one for one in self.own if one.id == kind), None)


def said(text: str | Mapping[str, str] | None, language: str) -> str | None:
    """A text of the owner's in a language; None where there is none."""
    return text if text is None or isinstance(text, str) else text.get(language)


def filled(text: str, facts: Mapping[str, str]) -> str | None:
    """A text with its placeholders filled in; None where there is nothing to fill one with."""
    if any(not facts.get(name) for name in PLACEHOLDER.findall(text)):
        return None
    return PLACEHOLDER.sub(lambda found: facts[found[1]], text)


def paragraphs(text: str, facts: Mapping[str, str]) -> list[str]:
    """The paragraphs of a text, filled in; one that names what there is not is left out.

    >>> paragraphs("For {day}.\\n\\nSee you!", {"day": ""})
    ['See you!']
    """
    return [one for part in _GAP.split(text) if (one := filled(part.strip(), facts))]
