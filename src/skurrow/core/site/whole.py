"""A site as a whole, part by part, in the order of its file."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.coupons import Coupon
from skurrow.core.site.delivery import Delivery
from skurrow.core.site.mails import Mails
from skurrow.core.site.papers import Papers
from skurrow.core.site.payments import Payments
from skurrow.core.site.products import Product
from skurrow.core.site.site import Currency, Site
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.site.subscriptions import Subscriptions
from skurrow.core.site.tax import Tax
from skurrow.core.site.values import Frozen

PARTS: dict[str, type[Frozen]] = {
    "site": Site,
    "tax": Tax,
    "delivery": Delivery,
    "papers": Papers,
    "mails": Mails,
    "payments": Payments,
    "subscriptions": Subscriptions,
    "product": Product,
    "coupon": Coupon,
    "checkout": Checkout,
    "stand_in_buyer": StandInBuyer,
}
"""Kinds of part that stand by themselves, with their models; `currencies` is a list kept as one part."""

LISTS = {
    "product": "products",
    "coupon": "coupons",
    "checkout": "checkouts",
    "stand_in_buyer": "stand_in_buyers",
}
"""Kinds of part of which a site has many, with the name of their list in the site file."""

SINGLE = ("site", "currencies", "tax", "delivery", "papers", "mails", "payments", "subscriptions")
"""Kinds of part of which a site has one."""


class SiteFile(Frozen):
    """A whole site: the parts that are edited, kept and released.

    `change` is the change of the draft that the file was exported at: a site that has moved on refuses it.
    """

    format: Literal["skurrow-site/1"]
    change: Annotated[int, Field(ge=1)] | None = None
    site: Site
    currencies: Annotated[list[Currency], Field(min_length=1, max_length=50)]
    tax: Tax = Tax()
    delivery: Delivery = Delivery()
    papers: Papers = Papers()
    mails: Mails = Mails()
    payments: Payments = Payments()
    subscriptions: Subscriptions = Subscriptions()
    products: list[Product] = Field(default_factory=list)
    coupons: list[Coupon] = Field(default_factory=list)
    checkouts: list[Checkout] = Field(default_factory=list)
    stand_in_buyers: list[StandInBuyer] = Field(default_factory=list)
