"""What a gateway is to Skurrow: a few plain calls, and *abilities* that decide which path a buyer takes.

An adapter implements `Gateway` for one payment service. It never decides what an answer means for an order: it
reports what the service said, or that nobody knows (`NoAnswer`), and the service layer records it. Every adapter
passes the suite in `skurrow.gateway.contract`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any, Literal, Protocol
from uuid import UUID

Mode = Literal["test", "live"]


@dataclass(frozen=True, slots=True)
class Abilities:
    """What a gateway can do. What it cannot do is never offered.

    `card_on_file`: it keeps a card or account for later. `recurring`: it charges that without the buyer.
    `off_site`: the buyer leaves for its page. `confirms_later`: the order waits for the money. `by_person`: no service
    stands behind it; people move the money and say so. `fields`: it has fields of its own for the buyer to type in.
    """

    card_on_file: bool = False
    off_site: bool = False
    confirms_later: bool = False
    recurring: bool = False
    partial_refund: bool = False
    buyer_approval: bool = False
    by_person: bool = False
    fields: bool = False


@dataclass(frozen=True, slots=True)
class Reach:
    """Where a payment service is: `api` for our server, `browser` for the buyer's browser (an origin)."""

    api: str
    browser: str


@dataclass(frozen=True, slots=True)
class Credentials:
    """What a developer pasted to connect: the merchant's name at the gateway, and the secret key of one mode."""

    merchant: str
    key: str = field(repr=False)


@dataclass(frozen=True, slots=True)
class Fees:
    """What the gateway takes, as decimal texts: of a charge `percent` and `fixed` (in the charge's currency), more
    percent for a card of another country (`cross_border`) and for another currency than the account's (`conversion`),
    and `monthly` in the account's first currency."""

    percent: str = "0"
    fixed: str = "0"
    monthly: str = "0"
    cross_border: str = "0"
    conversion: str = "0"


@dataclass(frozen=True, slots=True)
class Account:
    """What the gateway says about the connected account.

    `currencies`: the account's own first; empty: any. `smallest` and `largest` amounts are decimal texts by currency.
    `statement` is how many characters a buyer's statement shows. `pays_out`: the account can be paid out yet.
    `details` are what a buyer needs to pay by themselves.
    """

    merchant: str
    mode: Mode
    currencies: tuple[str, ...]
    fees: Fees = Fees()
    smallest: Mapping[str, str] = field(default_factory=dict)
    largest: Mapping[str, str] = field(default_factory=dict)
    statement: int = 22
    pays_out: bool = True
    details: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ChargeRequest:
    """Money to be moved. `key` names this attempt for ever; the same key never moves money twice.

    `amount` is in minor units of `currency`; `text` is what the buyer's statement shows. A buyer who leaves is sent
    back to `return_to`. Without fields of the gateway's own there is no `token`. What the token stands for is kept for
    later charges if `keep` says so (then the amount may be nothing); these name what is `on_file` instead of a token.
    """

    key: UUID
    amount: int
    currency: str
    token: str = field(repr=False, default="")
    text: str = ""
    return_to: str = field(repr=False, default="")
    keep: bool = False
    on_file: str = field(repr=False, default="")


RefusalReason = Literal[
    "no_funds",
    "lost",
    "expired",
    "card_details",
    "not_approved",
    "not_accepted",
    "given_up",
    "returned",
    "closed",
    "not_paid",
    "other",
]
"""`card_details`: they have to be typed again. `not_approved`: the buyer, or their bank, has not approved it.
`not_accepted`: the gateway does not take the shop's key. `given_up`: the buyer or the shop did not wait for it.
`returned`: the bank sent it back. `closed`: the account is. `not_paid`: the time in which it was to be paid is over."""


@dataclass(frozen=True, slots=True)
class Kept:
    """A card or account that the gateway keeps: the name under which it is charged again, its last characters, and the
    month in which it expires ("2029-04"), if it does."""

    token: str = field(repr=False)
    ending: str
    expires: str | None


@dataclass(frozen=True, slots=True)
class Approved:
    """The money has moved; `reference` is the gateway's own name for the charge, `kept` what it keeps for later."""

    reference: str
    amount: int
    currency: str
    at: datetime
    card_ending: str | None = None
    kept: Kept | None = None


@dataclass(frozen=True, slots=True)
class Refused:
    """The money has not moved and, under this key, never will."""

    reason: RefusalReason


Outcome = Approved | Refused


@dataclass(frozen=True, slots=True)
class NeedsApproval:
    """Nothing has moved yet: the buyer approves it first, on the gateway's page at `address`, which may be framed or,
    `off_site`, is left for. It becomes an outcome by that, or when the gateway waits no longer: for a charge of what is
    on file, `until` then."""

    address: str
    off_site: bool = False
    until: datetime | None = None


@dataclass(frozen=True, slots=True)
class Accepted:
    """Nothing has moved yet, and the order stands: the money comes, or does not, in days. `expected` is when."""

    expected: date | None = None


Answer = Outcome | NeedsApproval | Accepted


@dataclass(frozen=True, slots=True)
class Seen:
    """What a merchant may know of the card or account behind a token: `fingerprint` is the same for the same one."""

    fingerprint: str
    ending: str
    country: str | None


@dataclass(frozen=True, slots=True)
class PaymentWindow:
    """How the browser's own payment window pays with a gateway: the payment method, and what it is told (W3C Payment
    Request). It answers with a one-time token."""

    method: str
    data: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class RefundRequest:
    """Money to be given back of the charge with the key `charge`. `key` names this refund for ever, as of a charge."""

    key: UUID
    charge: UUID
    amount: int
    currency: str


@dataclass(frozen=True, slots=True)
class Refunded:
    """The money has gone back; `reference` is the gateway's own name for the refund."""

    reference: str
    amount: int
    currency: str
    at: datetime


RefundRefusal = Literal["too_late", "too_much", "not_possible", "not_accepted", "other"]
"""`too_late`: the gateway gives nothing back any more. `not_possible`: the card or account takes nothing back."""


@dataclass(frozen=True, slots=True)
class RefundRefused:
    """The money has not gone back and, under this key, never will."""

    reason: RefundRefusal


RefundOutcome = Refunded | RefundRefused


@dataclass(frozen=True, slots=True)
class Message:
    """A verified message from the gateway, as it came; `message_id` is the same when it is sent again."""

    message_id: str
    body: dict[str, Any]


DisputeReason = Literal["not_recognised", "not_received", "not_as_described", "returned", "other"]


@dataclass(frozen=True, slots=True)
class Dispute:
    """A buyer has questioned a charge at their bank. `lost` means that the money has gone back; `at` is when this state
    began."""

    reference: str
    state: Literal["open", "won", "lost"]
    amount: int
    currency: str
    reason: DisputeReason
    at: datetime


@dataclass(frozen=True, slots=True)
class GatewayEvent:
    """What a message says: what became of the charge with `key`, or of its refund with the key `refund`, if it is about
    one of ours."""

    kind: str
    key: UUID | None
    outcome: Outcome | None
    refund: UUID | None = None
    refund_outcome: RefundOutcome | None = None
    dispute: Dispute | None = None


@dataclass(frozen=True, slots=True)
class Entry:
    """One movement of money in the gateway's own books; `key` is ours (of a charge or a refund), where it is one. A
    dispute moves money when it is lost."""

    kind: Literal["charge", "refund", "dispute"]
    key: UUID | None
    reference: str
    amount: int
    currency: str
    at: datetime


class NoAnswer(Exception):
    """Nobody knows what became of the request: no connection, a cut one, no answer in time, or an error."""


class NotAccepted(Exception):
    """The gateway does not accept the merchant and key. The message names them, and is shown."""


class ForgedEvent(Exception):
    """A message that the gateway did not send, or that is too old; it changes nothing."""


class Gateway(Protocol):
    """One connected account at one payment service."""

    abilities: Abilities

    async def account(self) -> Account:
        """Asks the gateway about the account. Raises NotAccepted or NoAnswer."""

    async def register_events(self, url: str) -> str:
        """Has events sent to `url`; returns the signing secret. Raises NotAccepted or NoAnswer."""

    async def look_at(self, token: str) -> Seen | None:
        """What a one-time token stands for; None where there is nothing to be known. Raises NoAnswer."""

    async def charge(self, request: ChargeRequest) -> Answer:
        """Moves money once, however often it is called with the same key. Raises NoAnswer when nobody knows."""

    async def look_up(self, key: UUID) -> Answer | None:
        """What became of a charge. None: the gateway knows no such key, which is not an outcome.

        Raises NoAnswer, also while the gateway is still working on it.
        """

    async def give_up(self, key: UUID) -> Answer | None:
        """Gives up a charge that waits for its buyer or for its day, and says what became of it: it may have been too
        late. None: the gateway knows no such key. Raises NoAnswer."""

    async def refund(self, request: RefundRequest) -> RefundOutcome:
        """Gives money back once, however often it is called with the same key. Raises NoAnswer when nobody knows."""

    async def look_up_refund(self, request: RefundRequest) -> RefundOutcome | None:
        """What became of a refund. None: the gateway knows no such key, which is not an outcome. Raises NoAnswer."""

    async def entries(self, since: datetime, until: datetime) -> list[Entry]:
        """All movements of money from an instant until before another one. Raises NotAccepted or NoAnswer."""

    async def move_calendar(self, at: datetime | None) -> None:
        """In test mode, has a simulated service take another instant for now, and let happen what is due by then; None:
        the clock's own again. A real service does nothing. Raises NoAnswer."""

    def record_address(self, reference: str) -> str | None:
        """Where a person looks at the gateway's own record of a charge; None where there is none to be looked at."""

    def fields_address(self, parent_origin: str, colour: str, card: str | None = None) -> str | None:
        """The address of the gateway's own frame with fields, for a page of `parent_origin`; None where it has none.

        In test mode `card` names how a card behaves, for a gateway that can fill in such a card by itself.
        """

    def payment_window(self) -> PaymentWindow | None:
        """How the browser's own payment window pays with it; None where it does not."""

    def verify_message(self, headers: Mapping[str, str], body: bytes, secret: str) -> Message:
        """Verifies a message with the signing secret. Raises ForgedEvent for one that is false or too old."""

    def read_message(self, message: Message) -> GatewayEvent:
        """What a verified message says. Raises NoAnswer when it says nothing definite."""
