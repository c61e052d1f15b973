"""What is sold: products with their prices, variants, contents and pictures."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, StringConstraints

from skurrow.core.bounds import MOST_PIECES, one_line
from skurrow.core.rhythm import PriceKind
from skurrow.core.site.values import (
    Amounts,
    Code,
    Day,
    DurationText,
    Email,
    Frozen,
    Listed,
    Name,
    PictureName,
    Place,
    Stock,
    Text,
)

Category = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1, max_length=40, pattern=r"^(?P<category>[^,]+)$"),
    AfterValidator(one_line),
]
"""A word of the owner's for products that belong together; without commas, which stand between several."""


class Quantity(Frozen):
    """How many of a price one order may hold."""

    min: Annotated[int, Field(ge=1, le=MOST_PIECES)] = 1
    max: Annotated[int, Field(ge=1, le=MOST_PIECES)] = 1


class Start(Frozen):
    """What comes before the regular rhythm: a free trial, or a different first payment, `times` over.

    A free trial takes a card when it is ordered, or `later`, before it ends.
    """

    free: DurationText | None = None
    amount: Amounts | None = None
    for_: DurationText | None = Field(default=None, alias="for")
    times: Annotated[int, Field(ge=1, le=120)] = 1
    card: Literal["at_order", "later"] = "at_order"


class Ends(Frozen):
    """How a subscription ends that is cancelled: when the paid time does, or `at_once`; then the unused part of what
    was paid is kept or given back."""

    when: Literal["paid_time", "at_once"] = "paid_time"
    unused: Literal["kept", "given_back"] = "kept"


class Chosen(Frozen):
    """An amount that the buyer chooses, from `minimum` up to `maximum`; `suggested` is filled in at first."""

    minimum: Amounts
    maximum: Amounts | None = None
    suggested: Amounts | None = None


class Price(Frozen):
    """One way to pay for a product. `label` and `text` are for buyers.

    `amount` is of one charge: of each payment, for instalments. A price that is not `offered` is kept for those who
    have it; one with `for` is sold to those customers only. Without `quantity` the counter sells one. `ends` says how
    it ends when it is cancelled: without it, when the paid time does.
    """

    id: Code
    kind: PriceKind
    amount: Amounts | None = None
    chosen: Chosen | None = None
    every: DurationText | None = None
    payments: Annotated[int, Field(ge=1, le=360)] | None = None
    again: DurationText | None = None
    start: Start | None = None
    label: Name | None = None
    text: Text | None = None
    quantity: Quantity | None = None
    default: bool = False
    offered: bool = True
    ends: Ends | None = None
    for_: Annotated[list[Email], Field(min_length=1, max_length=10_000)] | None = Field(default=None, alias="for")

    @property
    def at_counter(self) -> Quantity:
        """How many the counter sells at once."""
        return self.quantity or Quantity()


class Picture(Frozen):
    """A picture by the name under which the site keeps it, and what it shows, for those who cannot see it."""

    name: PictureName
    text: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=250), AfterValidator(one_line)
    ]


class Variant(Frozen):
    """A product in one colour, size or edition. Its amount, if it has one, takes the place of the price's."""

    id: Code
    name: Name
    amount: Amounts | None = None
    stock: Stock | None = None
    picture: Picture | None = None


class Content(Frozen):
    """What a bundle holds: so many of a price, in a variant."""

    price: Code
    quantity: Annotated[int, Field(ge=1, le=MOST_PIECES)] = 1
    variant: Code | None = None


class Product(Listed):
    """What is sold. `name` is what buyers read, `owner_name` what the desk lists.

    An event without `held_in` is held online. `stock` is the opening stock, counted from when the product is made.
    What is not out before `available_from` is charged when it is ordered or, if `charged` says so, on that day.
    `refund_days` is for how many days after it was paid the shop promises to take it back.
    `categories` are words of the owner's, by which products are found and told apart.
    `statement` is what buyers' statements show for a charge of it alone, in place of the site's name.
    A product that `contains` prices is a bundle. Between the prices of its `ladder` customers may change: up takes
    effect now, down when the paid time ends.
    """

    id: Code
    name: Name
    owner_name: Name | None = None
    text: Text | None = None
    picture: Picture | None = None
    kind: Literal["goods", "digital", "service", "event"]
    held_in: Place | None = None
    counts_as: Code = "standard"
    weight_g: Annotated[int, Field(ge=0, le=100_000_000)] | None = None
    stock: Stock | None = None
    available_from: Day | None = None
    charged: Literal["at_order", "at_release"] = "at_order"
    refund_days: Annotated[int, Field(ge=0, le=3650)] | None = None
    statement: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=2, max_length=40), AfterValidator(one_line)]
        | None
    ) = None
    categories: Annotated[list[Category], Field(max_length=20)] = Field(default_factory=list)
    variants: Annotated[list[Variant], Field(max_length=200)] = Field(default_factory=list)
    contains: Annotated[list[Content], Field(max_length=100)] = Field(default_factory=list)
    ladder: Annotated[list[Code], Field(min_length=2, max_length=50)] | None = None
    prices: Annotated[list[Price], Field(min_length=1, max_length=50)]

    @cached_property
    def folded_name(self) -> str:
        """Its name at the desk and its categories, as they are compared with what is sought."""
        return " · ".join((self.desk_name, *self.categories)).casefold()
