"""Checkouts: what is sold at one, and in which words."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field, StringConstraints

from skurrow.core.bounds import one_line
from skurrow.core.site.values import Code, Listed, Name, Text


class Checkout(Listed):
    """A form that sells prices: one, or those that the buyer may choose between.

    `coupons` says whether buyers may type one there, or whether only a link brings one; those that come by themselves
    count everywhere. `coupon_words` open the field. `locked` is a reason for which editing asks first.
    """

    id: Code
    name: Name
    prices: Annotated[list[Code], Field(min_length=1, max_length=20)]
    heading: Name | None = None
    text: Text | None = None
    button: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(one_line)
    ] = "Pay"
    coupons: Literal["offered", "by_link", "none"] = "offered"
    coupon_words: Annotated[
        str | None, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), AfterValidator(one_line)
    ] = None
    locked: Annotated[
        str | None, StringConstraints(strip_whitespace=True, min_length=1, max_length=200), AfterValidator(one_line)
    ] = None
