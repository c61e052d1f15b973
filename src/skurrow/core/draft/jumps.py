"""Amounts that look like a slip of the finger: what a release changes by more than half, or below what it costs."""

from __future__ import annotations

from collections.abc import Iterator

from skurrow.core.delivery.methods import Parcel
from skurrow.core.edition import Edition, MinorAmounts, PricedProduct
from skurrow.core.money import format_amount

MOST_TOLD = 20


def jumps(before: Edition | None, after: Edition) -> list[str]:
    """What to look at twice before real buyers meet `after` in place of `before`, in sentences.

    A price that becomes more than half dearer or cheaper; one that is worth less than what a coupon takes off, or than
    the cheapest delivery, and was not so before.
    """
    found: list[str] = []
    for name, new in after.prices.items():
        old = before.prices.get(name) if before else None
        if old is not None and new is old:
            continue
        if old is not None:
            found += _by_more_than_half(old, new)
        worth_less = _worth_less(after, new)
        known = set(_worth_less(before, old)) if before is not None and old is not None else set()
        found += [words for words in worth_less if words not in known]
    if before is not None and (before.coupons, before.site.delivery) != (after.coupons, after.site.delivery):
        for name, price in after.prices.items():
            if name in before.prices and before.prices[name] is price:
                known = set(_worth_less(before, price))
                found += [words for words in _worth_less(after, price) if words not in known]
    found = list(dict.fromkeys(found))
    more = len(found) - MOST_TOLD
    return found[:MOST_TOLD] + ([f"{more} more amounts like these."] if more > 0 else [])


def _by_more_than_half(old: PricedProduct, new: PricedProduct) -> Iterator[str]:
    sides = [("", old.amounts, new.amounts), (" at first", old.starts, new.starts)]
    sides += [
        (f", {variant.name}", old.variants[variant.id], new.variants[variant.id])
        for variant in new.product.variants
        if variant.amount is not None and variant.id in old.variants
    ]
    for which, was, now in sides:
        own = [one for one in now if one not in new.converted and was.get(one)]  # what is converted follows its base
        moved = [one for one in own if abs(now[one] - was[one]) * 2 > was[one]]
        if moved:
            told = ", ".join(
                f"{one} {format_amount(was[one], one)} becomes {one} {format_amount(now[one], one)}"
                for one in moved[:3]
            )
            yield f"“{new.product.desk_name}” ({new.price.id}){which}: {told}. That is a change by more than half."


def _worth_less(edition: Edition, priced: PricedProduct) -> Iterator[str]:
    product = f"“{priced.product.desk_name}” ({priced.price.id})"
    amounts: MinorAmounts = priced.amounts
    for coupon in edition.coupons.values():
        if coupon.only is not None and priced.product.id not in coupon.only:
            continue
        less = [
            one
            for one, off in coupon.amounts.items()
            if 0 < amounts.get(one, 0) < off and amounts[one] >= coupon.minimums.get(one, 0)
        ]
        if less:
            one = less[0]
            yield (
                f"{product} costs {one} {format_amount(amounts[one], one)}, and the coupon {coupon.coupon.id} takes "
                f"{format_amount(coupon.amounts[one], one)} off: with it, nothing is left to pay."
            )
    if priced.product.kind == "goods" and amounts.get(edition.base):
        cheapest = _cheapest_delivery(edition, priced, edition.base)
        if cheapest is not None and amounts[edition.base] < cheapest:
            worth = format_amount(amounts[edition.base], edition.base)
            costs = format_amount(cheapest, edition.base)
            yield f"{product} costs {edition.base} {worth}, less than the {costs} for the cheapest delivery."


def _cheapest_delivery(edition: Edition, priced: PricedProduct, currency: str) -> int | None:
    parcel = Parcel(priced.amounts[currency], priced.product.weight_g or 0, 1)
    costs = [
        method.costs(parcel, currency)
        for zone in edition.zones.all
        for method in zone.methods
        if not method.method.pick_up
    ]
    return min((one for one in costs if one is not None), default=None)
