"""What a buyer sends with the press of Pay."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from skurrow.core.mailboxes import mailbox
from skurrow.service.counter.visit import NOTHING_CHOSEN, Buying, Choice, Where
from skurrow.store.subscriptions.subscriptions import SubscriptionRow


@dataclass(frozen=True, slots=True)
class Payment:
    """What the buyer asks to pay, and with what. `expected` is the amount that was shown to them, as a text; where
    it is nothing, no card and so no `token` is needed. `way` is the gateway (None: the first that there is), and
    `address_seen` where the connection comes from.

    `address` and `deliver_to` have the fields of the country's form; `seen_in` is the country that the connection seems
    to come from, and `lives_here` that the buyer has said which country is right. `language` is what mails are written
    in, where that is one of ours. A `password` is for the account page.
    """

    email: str
    name: str
    country: str
    token: str | None
    expected: str
    choice: Choice = NOTHING_CHOSEN
    address: Mapping[str, str | None] = field(default_factory=dict)
    deliver_to: Mapping[str, str | None] | None = None
    business: bool = False
    company: str | None = None
    tax_number: str | None = None
    seen_in: str | None = None
    lives_here: bool = False
    way: str | None = None
    address_seen: str | None = None
    language: str | None = None
    password: str | None = field(default=None, repr=False)

    @property
    def customer(self) -> str:
        """The mailbox of whoever buys."""
        return mailbox(self.email)

    @property
    def buying(self) -> Buying:
        """As far as amounts depend on it."""
        to = self.deliver_to
        return Buying(
            Where(self.country, self.address.get("region"), self.address.get("postal_code")),
            Where(to["country"] or self.country, to.get("region"), to.get("postal_code")) if to else None,
            self.business,
            self.tax_number,
        )


class HasPlan(Exception):
    """Somebody on a step of a ladder wants to buy another one: that is a change of plan, not a second one."""

    def __init__(self, name: str, wanted: str, row: SubscriptionRow | None) -> None:
        super().__init__(name)
        self.name, self.wanted, self.row = name, wanted, row
