"""What prices come to beside each other: a year against twelve months, instalments against paying at once, a bundle
against its parts, and what a coupon costs in a year.

A difference is positive where the one looked at costs less. Percentages are rounded half up to one decimal.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import ROUND_HALF_UP, Decimal
from typing import Literal

from skurrow.core.durations import Duration, duration_words, later
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import format_amount
from skurrow.core.order import Buyer, Item, Order, QuoteRefused
from skurrow.core.products.price_words import rhythm_words
from skurrow.core.quote.pricing import Pricing
from skurrow.core.site.products import Product
from skurrow.core.tape.tape import wanted_of
from skurrow.core.words import sentence

ComparisonKind = Literal["longer", "instalments", "bundle", "bundle_later"]
MOST_PRICES = 20


@dataclass(frozen=True, slots=True)
class Comparison:
    """One price beside what it stands against, over the same time, in minor units of `currency`."""

    kind: ComparisonKind
    price: str
    against: str
    currency: str
    amount: int
    against_amount: int
    words: str

    @property
    def saved(self) -> int:
        """How much less it costs; negative where it costs more."""
        return self.against_amount - self.amount


@dataclass(frozen=True, slots=True)
class CouponCost:
    """What a coupon takes off a price, for one buyer: of the first charge, and of all within a year; or why not."""

    price: str
    name: str
    currency: str
    first: int
    year: int
    why_not: str | None = None


def comparisons(edition: Edition, product: Product, currency: str) -> list[Comparison]:
    """How the offered prices of a product stand beside each other, and a bundle beside its parts."""
    offered = [edition.prices[price.id] for price in product.prices if price.offered]
    return [
        *_longer(offered, currency),
        *_instalments(offered, currency),
        *(one for priced in offered for one in _bundle(edition, priced, currency)),
    ]


def savings(edition: Edition, prices: Sequence[str], currency: str) -> dict[str, str]:
    """What buyers save with some of the prices that stand before them, in a sentence: a longer time against a shorter
    one that they could have instead, a bundle against its parts."""
    found: dict[str, str] = {}
    products = dict.fromkeys(edition.prices[price].product.id for price in prices)
    for name in products:
        product = edition.product(name)
        for one in comparisons(edition, product, currency) if product is not None else ():
            if one.saved <= 0 or one.price not in prices:
                continue
            saved = format_amount(one.saved, currency)
            if one.kind == "bundle":
                found[one.price] = sentence("saves_bundle", currency=currency, saved=saved)
            elif one.kind == "longer" and one.against in prices:
                each = edition.prices[one.against].amounts[currency]
                times, each_written = str(one.against_amount // each), format_amount(each, currency)
                found[one.price] = sentence(
                    "saves_longer", currency=currency, saved=saved, times=times, each=each_written
                )
    return found


def coupon_costs(edition: Edition, name: str, currency: str, at: datetime) -> list[CouponCost]:
    """What a coupon costs on each offered price that it is for, the first twenty, for an order placed at an instant.

    A year has the charges before the same day of the next.
    """
    coupon = edition.coupons[name]
    found = []
    for priced in edition.prices.values():
        for_it = coupon.only is None or priced.product.id in coupon.only
        if not for_it or not priced.price.offered or priced.rhythm.count == 0:
            continue
        found.append(_coupon_cost(edition, name, priced, currency, at))
        if len(found) == MOST_PRICES:
            break
    return found


def percent(part: int, whole: int) -> str:
    """A share in percent with one decimal, without a needless one.

    >>> percent(4800, 28800), percent(4800, 24000)
    ('16.7', '20')
    """
    exact = (Decimal(part) * 100 / whole).quantize(Decimal("0.1"), ROUND_HALF_UP)
    return f"{exact.normalize():f}"


# -- within -----------------------------------------------------------------------------------------------


def _longer(offered: list[PricedProduct], currency: str) -> Iterator[Comparison]:
    """Recurring prices against the one that is charged most often."""
    recurring = [one for one in offered if one.rhythm.kind == "recurring" and one.chosen is None]
    for often in sorted(recurring, key=lambda one: (one.rhythm.every.months, one.rhythm.every.days)):
        for one in recurring:
            times = _times(often.rhythm.every, one.rhythm.every)
            if one is not often and times > 1:
                amount, against = one.amounts[currency], often.amounts[currency] * times
                words = _compared(
                    "compare_longer",
                    amount,
                    against,
                    currency,
                    every=duration_words(one.rhythm.every),
                    times=str(times),
                    each=format_amount(often.amounts[currency], currency),
                )
                yield Comparison("longer", one.price.id, often.price.id, currency, amount, against, words)
        return


def _times(short: Duration, long: Duration) -> int:
    """How often the shorter goes into the longer, where it does so exactly; else 0."""
    for of, within in ((short.months, long.months), (short.days, long.days)):
        other_of, other_within = (short.days, long.days) if of == short.months else (short.months, long.months)
        if of and within % of == 0 and other_within == other_of * (within // of):
            return within // of
    return 0


def _instalments(offered: list[PricedProduct], currency: str) -> Iterator[Comparison]:
    once = next((one for one in offered if one.rhythm.kind == "once" and one.chosen is None), None)
    if once is None:
        return
    for one in offered:
        if one.rhythm.kind == "instalments":
            starts = one.rhythm.starts * one.starts.get(currency, 0)
            amount = starts + one.rhythm.payments * one.amounts[currency]
            words = _compared(
                "compare_instalments",
                amount,
                once.amounts[currency],
                currency,
                payments=str(one.rhythm.first_set),
                once=format_amount(once.amounts[currency], currency),
            )
            yield Comparison(
                "instalments", one.price.id, once.price.id, currency, amount, once.amounts[currency], words
            )


def _bundle(edition: Edition, priced: PricedProduct, currency: str) -> Iterator[Comparison]:
    """A bundle's price against its parts bought one by one: at once, and for each later charge of the same rhythm."""
    if not priced.product.contains or priced.chosen is not None:
        return
    parts = later_parts = 0
    for content in priced.product.contains:
        held = edition.prices[content.price]
        regular = held.variants[content.variant] if content.variant else held.amounts
        parts += content.quantity * _first(held, regular[currency], currency)
        if held.rhythm.kind == "recurring" and held.rhythm.every == priced.rhythm.every:
            later_parts += content.quantity * regular[currency]
    amount = _first(priced, priced.amounts[currency], currency)
    if parts:
        words = _compared("compare_bundle", amount, parts, currency)
        yield Comparison("bundle", priced.price.id, "", currency, amount, parts, words)
    if later_parts and priced.rhythm.kind == "recurring":
        regular_amount = priced.amounts[currency]
        words = _compared("compare_bundle_later", regular_amount, later_parts, currency)
        yield Comparison("bundle_later", priced.price.id, "", currency, regular_amount, later_parts, words)


def _first(priced: PricedProduct, regular: int, currency: str) -> int:
    """What is due when it is bought."""
    if priced.rhythm.free:
        return 0
    return priced.starts[currency] if priced.rhythm.starts else regular


def _compared(code: str, amount: int, against: int, currency: str, **more: str) -> str:
    """The sentence of a comparison, with what is saved or paid more at its end."""
    saved = against - amount
    end = "compare_same" if saved == 0 else "compare_less" if saved > 0 else "compare_more"
    return sentence(
        code,
        amount=format_amount(amount, currency),
        against=format_amount(against, currency),
        currency=currency,
        **more,
    ) + sentence(
        end, difference=format_amount(abs(saved), currency), percent=percent(abs(saved), against) if against else "0"
    )


def _coupon_cost(edition: Edition, name: str, priced: PricedProduct, currency: str, at: datetime) -> CouponCost:
    wanted = wanted_of(priced, currency)
    label = f"{priced.product.desk_name}, {priced.price.label or rhythm_words(priced)}"
    order = Order(
        at=at,
        currency=currency,
        items=[Item(price=wanted.price, quantity=wanted.quantity, chosen=wanted.chosen)],
        coupons=[name],
        buyer=Buyer(country=edition.site.site.country),
    )
    try:
        pricing = Pricing(edition, order)
        days = pricing.schedule(later(pricing.today, 12, 0) - timedelta(days=1))
    except (QuoteRefused, OverflowError):
        return CouponCost(priced.price.id, label, currency, 0, 0, sentence("coupon_not_reckoned"))
    taken = [
        sum(amount for part in day.due for k, amount in part.cuts if pricing.discounts[k].coupon == name)
        for day in days
    ]
    why_not = next((note.text for note in pricing.notes if note.code.startswith("coupon_")), None)
    return CouponCost(priced.price.id, label, currency, taken[0] if taken else 0, sum(taken), why_not)
