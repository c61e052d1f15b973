"""Checkouts: what is sold at one, and in which words."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, StringConstraints

from skurrow.core.bounds import one_line
from skurrow.core.site.values import Amounts, Code, Frozen, Listed, Name, Rate, Text


class CheckoutDiscount(Frozen):
    """What a checkout takes off each thing that it sells: a percentage, or an amount off the line."""

    percent: Rate | None = None
    amount: Amounts | None = None


class Checkout(Listed):
    """A form that sells prices: one, those that the buyer may choose between, or, with `choose: several`, as many of
    them as the buyer likes. The `everyday` one sells whatever a basket holds, and its `prices` may be left out.

    `discount` comes off each thing sold there, before any coupon. `ways` names the gateways that are offered there, of
    those that the site offers (None: all of them).
    `coupons` says whether buyers may type one there, or whether only a link brings one; those that come by themselves
    count everywhere. `coupon_words` open the field. `locked` is a reason for which editing asks first.
    """

    id: Code
    name: Name
    prices: Annotated[list[Code], Field(max_length=20)] = Field(default_factory=list)
    choose: Literal["one", "several"] = "one"
    everyday: bool = False
    heading: Name | None = None
    text: Text | None = None
    button: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(one_line)
    ] = "Pay"
    discount: CheckoutDiscount | None = None
    ways: Annotated[list[Code], Field(min_length=1, max_length=20)] | None = None
    coupons: Literal["offered", "by_link", "none"] = "offered"
    coupon_words: Annotated[
        str | None, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), AfterValidator(one_line)
    ] = None
    locked: Annotated[
        str | None, StringConstraints(strip_whitespace=True, min_length=1, max_length=200), AfterValidator(one_line)
    ] = None

    @property
    def takes_several(self) -> bool:
        """Whether a buyer may take several things at once."""
        return self.everyday or self.choose == "several"

    @property
    def only(self) -> list[str]:
        """The prices without which it has nothing to sell; the everyday one sells others as well."""
        return [] if self.everyday else self.prices

    def takes(self, gateway: str) -> bool:
        """Whether a gateway is offered there."""
        return self.ways is None or gateway in self.ways
