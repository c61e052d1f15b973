"""What a buyer sends with the press of Pay."""

from __future__ import annotations

from dataclasses import dataclass, field
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.core.quote.kept import KeptBuyer
from skurrow.service.counter.visit import NOTHING_CHOSEN, Choice
from skurrow.store.subscriptions.subscriptions import SubscriptionRow


@dataclass(frozen=True, slots=True)
class Payment:
    """What the buyer asks to pay, and with what: `buyer` as typed, with the country that the connection seems to come
    from, and whether they have said which is right. `expected` is the amount that was shown to them, as a text; where
    it is nothing, no card and so no `token` is needed. `way` is the gateway (None: the first that there is), and
    `address_seen` where the connection comes from. A `password` is for the account page. `currency` is the one that
    was shown (None: the visit's), `basket` what it was put together in.
    """

    buyer: KeptBuyer
    token: str | None
    expected: str
    choice: Choice = NOTHING_CHOSEN
    way: str | None = None
    address_seen: str | None = None
    password: str | None = field(default=None, repr=False)
    currency: str | None = None
    basket: UUID | None = None

    @property
    def customer(self) -> str:
        """The mailbox of whoever buys."""
        return mailbox(self.buyer.email)


class HasPlan(Exception):
    """Somebody on a step of a ladder wants to buy another one: that is a change of plan, not a second one."""

    def __init__(self, name: str, wanted: str, row: SubscriptionRow | None) -> None:
        super().__init__(name)
        self.name, self.wanted, self.row = name, wanted, row
