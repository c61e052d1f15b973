"""An order as it is asked to be quoted: what, by whom, when, in which currency."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any

from pydantic import (
    AfterValidator,
    AwareDatetime,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    StrictBool,
    ValidationError,
)

from skurrow.core.bounds import MOST_PIECES, instant_within
from skurrow.core.problems import InvalidInput, problems_of
from skurrow.core.site.values import AmountText, Country, Rate


class _Given(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class OwnDiscount(_Given):
    """What an extra or an offer brings along: a percentage, or an amount off the line in the order's currency."""

    percent: Rate | None = None
    amount: AmountText | None = None


class Item(_Given):
    """One thing ordered: `quantity` of a price, in a variant; `chosen` is the amount of one where the buyer chooses."""

    price: str
    quantity: Annotated[int, Field(strict=True, ge=1, le=MOST_PIECES)] = 1
    variant: str | None = None
    chosen: AmountText | None = None
    own_discount: OwnDiscount | None = None


class Address(_Given):
    """Where a parcel goes that does not go to the buyer."""

    country: Country
    region: str | None = None
    postal_code: str | None = None


class Buyer(_Given):
    """Who buys, as far as amounts depend on it.

    `tax_number_confirmed` is what the official look-up answered, if it did.
    """

    country: Country
    region: str | None = None
    postal_code: str | None = None
    business: StrictBool = False
    tax_number: str | None = None
    tax_number_confirmed: StrictBool | None = None
    deliver_to: Address | None = None

    @property
    def parcels_go_to(self) -> Address | Buyer:
        """The address of what is sent."""
        return self.deliver_to or self


def read_instant(value: object) -> object:
    """An instant from its text, or as it is. Raises ValueError for anything else."""
    if isinstance(value, int | float):
        raise ValueError('a number is no instant; write it as in "2026-11-24T10:00:00Z"')
    if isinstance(value, str):
        try:
            return datetime.fromisoformat(value)
        except ValueError:
            raise ValueError(f'"{value}" is no instant; write it as in "2026-11-24T10:00:00Z"') from None
    return value


class Customer(_Given):
    """What is known of whoever buys from before: how many paid `orders`."""

    orders: Annotated[int, Field(strict=True, ge=0)] = 0


class Order(_Given):
    """What is asked to be quoted; `at` is an instant with its offset. Without `customer` nobody has bought before."""

    at: Annotated[AwareDatetime, BeforeValidator(read_instant), AfterValidator(instant_within)]
    currency: str
    items: Annotated[list[Item], Field(min_length=1, max_length=500)]
    coupons: Annotated[list[str], Field(max_length=50)] = Field(default_factory=list)
    delivery: str | None = None
    buyer: Buyer
    customer: Customer | None = None

    @property
    def is_first(self) -> bool:
        """Whether whoever buys has no paid order before this one."""
        return self.customer is None or self.customer.orders == 0


class QuoteRefused(InvalidInput):
    """The order cannot be quoted; `problems` says why and what to do."""


_NAMES = {
    "": list(Order.model_fields),
    "items": list(Item.model_fields),
    "own_discount": list(OwnDiscount.model_fields),
    "buyer": list(Buyer.model_fields),
    "deliver_to": list(Address.model_fields),
    "customer": list(Customer.model_fields),
}


def read_order(data: Any) -> Order:
    """An order from plain data; raises QuoteRefused with every problem."""
    try:
        return Order.model_validate(data)
    except ValidationError as error:
        raise QuoteRefused(problems_of(error, _NAMES)) from None
