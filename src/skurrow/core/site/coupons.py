"""Coupons."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from skurrow.core.site.values import Amounts, Code, Count, CouponCode, Day, Listed, Name, Rate, Renewals


class Coupon(Listed):
    """A discount that a buyer types, that a link brings along, or that comes by itself (`automatic`).

    Either a percentage, rounded per line, or an amount shared over the lines it applies to. `only` names products;
    `from` and `until` include their days in the site's zone; `limit` and `per_customer` count orders. `renewals` says
    how many charges it counts for: one where it is left out, N, or all. With `combine: false` it goes with no other.
    With `customer: new` it is for who has no paid order before.
    """

    id: CouponCode
    name: Name | None = None
    percent: Rate | None = None
    amount: Amounts | None = None
    only: list[Code] | None = None
    minimum: Amounts | None = None
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None
    limit: Count | None = None
    per_customer: Count | None = None
    renewals: Renewals | None = None
    combine: bool = True
    customer: Literal["new"] | None = None
    automatic: bool = False
