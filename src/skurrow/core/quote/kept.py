"""What an order has stored, read with types: who bought, what was asked for, and what it came to. The one reader of it.

Orders keep these as JSON, as they were on the day. Rows of earlier versions have fewer names in them, never others in
the place of these; what has no default here has been there from the first order on.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import cached_property
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, model_validator

from skurrow.core.order import Address, Buyer


class _Kept(BaseModel):
    model_config = ConfigDict(frozen=True, extra="ignore")

    @model_validator(mode="before")
    @classmethod
    def _without_nothing(cls, stored: Any) -> Any:
        """What is stored as null, here or in an address, is as if it were not stored: no order is lost by it."""
        if not isinstance(stored, Mapping):
            return stored
        return {name: _something(value) for name, value in stored.items() if value is not None}


def _something(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {name: one for name, one in value.items() if one is not None}
    return value


class KeptCheck(_Kept):
    """What the official look-up said about a tax number: `answer` is valid, invalid or why there is none."""

    answer: str | None = None
    name: str | None = None
    reference: str | None = None


class Evidence(_Kept):
    """Where the buyer is, by what they say, by their connection, by their card; and whether they confirmed it."""

    declared: str | None = None
    connection: str | None = None
    card: str | None = None
    confirmed: bool | None = None


class KeptBuyer(_Kept):
    """Who bought. Addresses have the fields of their country's form; that of a parcel has its country and may have a
    name beside them. `telephone` is for whoever brings it."""

    email: str
    name: str
    country: str
    address: dict[str, str] = Field(default_factory=dict)
    deliver_to: dict[str, str] | None = None
    telephone: str | None = None
    language: str | None = None
    business: bool = False
    company: str | None = None
    tax_number: str | None = None
    tax_number_check: KeptCheck = KeptCheck()
    evidence: Evidence = Evidence()

    @property
    def parcel_country(self) -> str:
        """Where a parcel goes."""
        return (self.deliver_to or {}).get("country") or self.country

    def forgotten(self) -> KeptBuyer:
        """What the books need of somebody who is forgotten: what taxes hang on, and nothing that names them."""
        left = {name: text for name, text in self.address.items() if name in ("region", "postal_code")}
        return KeptBuyer(
            email="",
            name="Forgotten",
            country=self.country,
            address=left,
            business=self.business,
            evidence=self.evidence,
        )

    def as_buyer(self) -> Buyer:
        """The buyer as far as amounts depend on them."""
        to = self.deliver_to
        return Buyer(
            country=self.country,
            region=self.address.get("region"),
            postal_code=self.address.get("postal_code"),
            business=self.business,
            tax_number=self.tax_number,
            tax_number_confirmed={"valid": True, "invalid": False}.get(self.tax_number_check.answer or ""),
            deliver_to=Address(country=self.parcel_country, region=to.get("region"), postal_code=to.get("postal_code"))
            if to
            else None,
        )


class KeptItem(_Kept):
    """What was asked for: so many of a price, in a variant."""

    price: str
    variant: str | None = None
    quantity: int = 1

    @property
    def need(self) -> tuple[str, str | None, int]:
        """The same, as stock is reckoned."""
        return self.price, self.variant, self.quantity


class KeptReason(_Kept):
    """Why an amount is what it is, as a code with its sentence."""

    code: str
    text: str


class KeptLater(_Kept):
    """A later charge as the buyer was shown it."""

    on: date
    total: str
    tax: str | None = None
    reasons: tuple[KeptReason, ...] = ()


class KeptPlan(_Kept):
    """A subscription that begins when the order is paid: of which line, counted from which day, and its terms. `later`
    is its own part of what was said to be charged later, where the order begins several."""

    line: int
    counted_from: date
    begun: bool
    terms: dict[str, Any]
    later: tuple[KeptLater, ...] | None = None


class KeptWanted(_Kept):
    """What was asked for. `payments`: how many of a set are paid off; `by`, `person`: who asked for a customer."""

    items: tuple[KeptItem, ...] = ()
    coupons: tuple[str, ...] = ()
    subscriptions: tuple[KeptPlan, ...] = ()
    payments: int | None = None
    by: str | None = None
    person: str | None = None


class KeptLine(_Kept):
    """A line as it was sold; amounts as they are written, `subtotal` before discounts."""

    name: str
    price: str
    variant: str | None = None
    quantity: int = 1
    subtotal: str | None = None
    total: str
    tax: str
    reasons: tuple[KeptReason, ...] = ()


class KeptRuling(_Kept):
    """How a part was taxed, and why."""

    reason: KeptReason | None = None


class KeptPart(_Kept):
    """A part of what delivery cost, taxed by itself."""

    taxed: KeptRuling = KeptRuling()


class KeptDelivery(_Kept):
    """How it was sent, and what that cost."""

    name: str
    amount: str | None = None
    parts: tuple[KeptPart, ...] = ()


class KeptTax(_Kept):
    """A tax in what was due."""

    place: str
    name: str
    rate: str
    treatment: str
    amount: str
    reason: KeptReason


class KeptDiscount(_Kept):
    """What a discount took off, and its rule in words."""

    coupon: str | None = None
    name: str
    words: str = ""
    amount: str


class KeptQuote(_Kept):
    """What it came to."""

    lines: tuple[KeptLine, ...]
    delivery: KeptDelivery | None = None
    tax_included: bool = True
    taxes: tuple[KeptTax, ...] = ()
    discounts: tuple[KeptDiscount, ...] = ()
    untaxed_total: str = "0"
    due_today: str | None = None
    later: tuple[KeptLater, ...] = ()
    notes: tuple[KeptReason, ...] = ()


@dataclass(frozen=True)
class KeptOrder:
    """What an order has stored. Each part is read when it is asked for."""

    stored_buyer: Mapping[str, Any]
    stored_wanted: Mapping[str, Any]
    stored_quote: Mapping[str, Any]

    @cached_property
    def buyer(self) -> KeptBuyer:
        """Who bought."""
        return KeptBuyer.model_validate(self.stored_buyer)

    @cached_property
    def wanted(self) -> KeptWanted:
        """What was asked for."""
        return KeptWanted.model_validate(self.stored_wanted)

    @cached_property
    def quote(self) -> KeptQuote:
        """What it came to."""
        return KeptQuote.model_validate(self.stored_quote)

    @property
    def what(self) -> str:
        """What was bought, by its names."""
        return ", ".join(line.name for line in self.quote.lines)
