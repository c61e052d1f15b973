"""What the counter is sent, within bounds."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from pydantic import AfterValidator, BaseModel, ConfigDict, EmailStr, Field

from skurrow.core.bounds import MOST_PIECES, one_line
from skurrow.core.order import Address, Buyer
from skurrow.core.quote.kept import Evidence, KeptBuyer
from skurrow.core.site.values import Country, Name
from skurrow.service.counter.baskets import MOST_ITEMS, Thing
from skurrow.service.counter.visit import Choice, Taken

_VISIT = Annotated[str, Field(min_length=1, max_length=1000)]

GatewayToken = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,200}$")]
"""A one-time token of a gateway's fields: letters, digits, hyphens and underscores, nothing that could steer a call."""

_Part = Annotated[str, Field(max_length=200), AfterValidator(one_line)]


Telephone = Annotated[str, Field(max_length=40), AfterValidator(one_line)]
"""A telephone number as it is typed."""


class _Given(BaseModel):
    model_config = ConfigDict(extra="forbid")


_Named = Annotated[str, Field(max_length=60)]


class ItemTaken(_Given):
    """One thing of several that are taken; `chosen` is the amount of one where the buyer chooses it."""

    price: _Named
    quantity: Annotated[int, Field(ge=1, le=MOST_PIECES)] | None = None
    variant: _Named | None = None
    chosen: Annotated[str, Field(max_length=20)] | None = None


class _Chosen(_Given):
    """What the buyer has chosen; None is what is chosen at first. Where several things may be taken, `items`."""

    price: _Named | None = None
    quantity: Annotated[int, Field(ge=1, le=MOST_PIECES)] | None = None
    variant: _Named | None = None
    chosen: Annotated[str, Field(max_length=20)] | None = None
    items: Annotated[list[ItemTaken], Field(max_length=MOST_ITEMS)] = Field(default_factory=list)
    coupons: Annotated[list[Annotated[str, Field(min_length=1, max_length=40)]], Field(max_length=10)] = Field(
        default_factory=list
    )
    delivery: _Named | None = None

    def choice(self) -> Choice:
        """The same for the service."""
        items = tuple(Taken(one.price, one.quantity, one.variant, one.chosen) for one in self.items)
        return Choice(self.price, self.quantity, self.variant, self.chosen, tuple(self.coupons), self.delivery, items)


class AddressGiven(_Given):
    """An address as far as it is typed, in the fields of the country's form."""

    street: _Part | None = None
    district: _Part | None = None
    city: _Part | None = None
    region: _Part | None = None
    postal_code: Annotated[str, Field(max_length=20)] | None = None
    sorting_code: Annotated[str, Field(max_length=20)] | None = None


class ParcelTo(AddressGiven):
    """Where and to whom a parcel goes that does not go to the buyer."""

    name: Annotated[str, Field(max_length=120), AfterValidator(one_line)] = ""
    country: Country


def _typed(address: AddressGiven) -> dict[str, str]:
    return {name: text.strip() for name, text in address if text and text.strip()}


class _Buying(_Chosen):
    """Who buys: country and address, where parcels go, and a business with its tax number."""

    visit: _VISIT
    country: Country
    address: AddressGiven = Field(default_factory=AddressGiven)
    deliver_to: ParcelTo | None = None
    business: bool = False
    tax_number: Annotated[str, Field(max_length=40), AfterValidator(one_line)] | None = None

    def buyer(self) -> Buyer:
        """Whoever buys, as far as amounts depend on it."""
        to = self.deliver_to
        return Buyer(
            country=self.country,
            region=self.address.region or None,
            postal_code=self.address.postal_code or None,
            business=self.business,
            tax_number=self.tax_number or None,
            deliver_to=Address(country=to.country, region=to.region or None, postal_code=to.postal_code or None)
            if to
            else None,
        )


class QuoteRequest(_Buying):
    """A buyer and a choice; the email address where it is known, for what is limited by customer."""

    email: Annotated[str, Field(max_length=254)] = ""


class PayRequest(_Buying):
    """A press of the pay button. `expected` is the amount that stood beside it, in `currency` (None: the visit's);
    without an amount there is no token.
    `lives_here`: the buyer has said that the country is right, whatever the connection seems to say. A `password` is
    for the account page, where subscriptions are looked after."""

    email: EmailStr
    name: Name
    company: Annotated[str, Field(max_length=120), AfterValidator(one_line)] | None = None
    telephone: Telephone | None = None
    lives_here: bool = False
    password: Annotated[str, Field(max_length=1000)] | None = None
    way: Annotated[str, Field(max_length=60)] | None = None
    token: GatewayToken | None = None
    expected: Annotated[str, Field(max_length=20)]
    currency: Annotated[str, Field(max_length=3)] | None = None
    basket: UUID | None = None

    def kept(self, seen_in: str | None, language: str | None) -> KeptBuyer:
        """Whoever buys, as their order keeps it, without what is blank; `seen_in` is the country that their connection
        seems to come from."""
        evidence = Evidence(declared=self.country, connection=seen_in, confirmed=self.lives_here or None)
        return KeptBuyer(
            email=self.email,
            name=self.name,
            country=self.country,
            address=_typed(self.address),
            deliver_to=_typed(self.deliver_to) if self.deliver_to else None,
            telephone=(self.telephone or "").strip() or None,
            language=language or None,
            business=self.business,
            company=(self.company or "").strip() or None,
            tax_number=self.tax_number or None,
            evidence=evidence,
        )


class NumberRequest(_Given):
    """A business's tax number as it was typed, and its country."""

    visit: _VISIT
    country: Country
    number: Annotated[str, Field(min_length=1, max_length=40)]


class ConfirmationRequest(_Given):
    """Whose page it is to be shown: by the `visit` that this browser has kept, or a `key` that was mailed."""

    token: Annotated[str, Field(max_length=1000)]
    visit: _VISIT | None = None
    key: Annotated[str, Field(max_length=1000)] | None = None


class VisitRequest(_Given):
    """A visit."""

    visit: _VISIT


class ResumeRequest(_Given):
    """The visit that the browser has kept, and the one that came with the page."""

    visit: _VISIT
    fresh: _VISIT
    basket: UUID | None = None


class CurrencyRequest(_Given):
    """A visit, and the currency that it is to be in."""

    visit: _VISIT
    currency: Annotated[str, Field(pattern=r"^[A-Z]{3}$")]
    basket: UUID | None = None


class ThingPut(_Given):
    """So many of a price, in a variant; 0 takes it out. `chosen` is the amount of one, in `chosen_in`, where the buyer
    chooses it."""

    price: _Named
    quantity: Annotated[int, Field(ge=0, le=MOST_PIECES)]
    variant: _Named | None = None
    chosen: Annotated[str, Field(max_length=20)] | None = None
    chosen_in: Annotated[str, Field(pattern=r"^[A-Z]{3}$")] | None = None

    def thing(self) -> Thing:
        """The same for the service."""
        return Thing(self.price, self.quantity, self.variant, self.chosen, self.chosen_in)


class BasketRequest(_Given):
    """What is put into a basket, which begins with the first thing. `anew`: in place of all in it that is sold here;
    `more`: so many more of each."""

    visit: _VISIT
    basket: UUID
    put: Annotated[list[ThingPut], Field(max_length=MOST_ITEMS)] = Field(default_factory=list)
    anew: bool = False
    more: bool = False


class ComeBack(_Given):
    """The way back that the address carried, the visit that came with the page, and the one that the browser keeps."""

    back: Annotated[str, Field(min_length=1, max_length=1000)]
    fresh: _VISIT
    visit: _VISIT | None = None
    basket: UUID | None = None
