"""Ways to be paid behind which stands no service: people move the money, and a statement or a person says so.

A charge is accepted at once and waits. What became of it is never learnt from here, but from those who know.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from uuid import UUID

import httpx
from stdnum import bic, iban
from stdnum.exceptions import ValidationError

from skurrow.gateway.protocol import (
    Abilities,
    Accepted,
    Account,
    Answer,
    ChargeRequest,
    Credentials,
    Entry,
    ForgedEvent,
    GatewayEvent,
    Message,
    Mode,
    NotAccepted,
    PaymentWindow,
    Reach,
    Refunded,
    RefundOutcome,
    RefundRequest,
    Refused,
    Seen,
)

LONGEST_HOLDER = 70
"""Characters of a name in a SEPA payment (EPC069-12)."""


class OwnBooks:
    """What all of them have in common. `credentials` hold what buyers are told, and no secret."""

    abilities: Abilities = Abilities(confirms_later=True, partial_refund=True, by_person=True)

    def __init__(self, client: httpx.AsyncClient, reach: Reach, mode: Mode, credentials: Credentials) -> None:
        self._mode, self._credentials = mode, credentials

    async def account(self) -> Account:
        return Account(self._credentials.merchant, self._mode, ())

    async def register_events(self, url: str) -> str:
        return ""

    async def look_at(self, token: str) -> Seen | None:
        return None

    async def charge(self, request: ChargeRequest) -> Answer:
        return Accepted()

    async def look_up(self, key: UUID) -> Answer | None:
        return Accepted()

    async def give_up(self, key: UUID) -> Answer | None:
        return Refused("given_up")

    async def refund(self, request: RefundRequest) -> RefundOutcome:
        """Whoever asks for it has given it back, or does so now."""
        return Refunded("by hand", request.amount, request.currency, datetime.now(UTC).replace(microsecond=0))

    async def look_up_refund(self, request: RefundRequest) -> RefundOutcome | None:
        return await self.refund(request)

    async def entries(self, since: datetime, until: datetime) -> list[Entry]:
        return []

    async def move_calendar(self, at: datetime | None) -> None:
        return None

    def record_address(self, reference: str) -> str | None:
        return None

    def fields_address(self, parent_origin: str, colour: str, card: str | None = None) -> str | None:
        return None

    def payment_window(self) -> PaymentWindow | None:
        return None

    def verify_message(self, headers: Mapping[str, str], body: bytes, secret: str) -> Message:
        raise ForgedEvent("nobody sends messages about this")

    def read_message(self, message: Message) -> GatewayEvent:
        return GatewayEvent("", None, None)


class Transfer(OwnBooks):
    """Bank transfer to the seller's account: `merchant` is its holder, `key` its IBAN, with the BIC after it if there
    is one. Statements say what came in."""

    async def account(self) -> Account:
        number, _, bank = self._credentials.key.strip().partition(" BIC ")
        try:
            details = {"holder": self._credentials.merchant, "iban": iban.validate(number)}
        except ValidationError:
            raise NotAccepted("This is no IBAN: a letter or digit is wrong or missing") from None
        if bank:
            try:
                details["bic"] = bic.validate(bank)
            except ValidationError:
                raise NotAccepted("This is no BIC: it has 8 or 11 letters and digits") from None
        if len(self._credentials.merchant) > LONGEST_HOLDER:
            raise NotAccepted(f"A holder's name has at most {LONGEST_HOLDER} characters")
        smallest, largest = {"EUR": "0.01"}, {"EUR": "99999999.99"}
        return Account(
            self._credentials.merchant, self._mode, ("EUR",), smallest=smallest, largest=largest, details=details
        )


class OnInvoice(OwnBooks):
    """The buyer pays later, as the invoice or the shop says; somebody marks the order as paid."""


class OnCollection(OwnBooks):
    """The buyer pays when they come for it; somebody marks the order as paid."""
