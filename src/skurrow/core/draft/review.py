"""What a release would change for each stand-in buyer: amounts, what the page says, what is sold at all.

Each buyer is put before every checkout under both editions, and the two outcomes are laid side by side.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal

from skurrow.core.edition import Edition
from skurrow.core.order import Buyer, Customer
from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.tape.tape import tape, wanted_of

Choice = tuple[str, str | None]
"""A price, and a variant of its product."""

EffectKind = Literal["amount", "page", "new", "gone"]

MOST_CHECKOUTS = 200
"""Checkouts looked at in one review; a site that changed more is told how many were left out."""

MOST_PRICES = 40
"""Prices looked at of what the everyday checkout sells: those that differ, or the first."""


@dataclass(frozen=True, slots=True)
class Effect:
    """One change that a buyer would meet at a checkout."""

    checkout: str
    name: str
    kind: EffectKind
    what: str
    before: str | None
    after: str | None


@dataclass(frozen=True, slots=True)
class BuyerReview:
    """What would change for one stand-in buyer; nothing, if there are no effects."""

    buyer: StandInBuyer
    effects: tuple[Effect, ...]


@dataclass(frozen=True, slots=True)
class Review:
    """What would change for each stand-in buyer, and how many changed checkouts were not looked at."""

    buyers: tuple[BuyerReview, ...]
    left_out: int


def review(before: Edition | None, after: Edition, buyers: Iterable[StandInBuyer], at: datetime) -> Review:
    """What releasing `after` in place of `before` (None: nothing was released) changes at an instant."""
    touched = [name for name in _all_checkouts(before, after) if _touched(before, after, name)]
    looked_at = touched[:MOST_CHECKOUTS]
    pages = {name: tuple(_page_effects(before, after, name)) for name in looked_at}
    found = []
    for buyer in buyers:
        effects: list[Effect] = []
        for name in looked_at:
            effects += [*_amount_effects(before, after, name, buyer, at), *pages[name]]
        found.append(BuyerReview(buyer, tuple(effects)))
    return Review(tuple(found), len(touched) - len(looked_at))


def as_buyer(buyer: StandInBuyer) -> Buyer:
    """A stand-in buyer as far as amounts depend on them."""
    return Buyer(
        country=buyer.country,
        region=buyer.region,
        postal_code=buyer.postal_code,
        business=buyer.business,
        tax_number=buyer.tax_number,
        tax_number_confirmed=True if buyer.tax_number else None,
    )


def as_customer(buyer: StandInBuyer) -> Customer | None:
    """What a stand-in buyer has bought before."""
    return Customer(orders=1) if buyer.returning else None


def _all_checkouts(before: Edition | None, after: Edition) -> list[str]:
    known = before.checkouts if before else {}
    return [*after.checkouts, *(name for name in known if name not in after.checkouts)]


def _touched(before: Edition | None, after: Edition, name: str) -> bool:
    """Whether anything that a checkout's outcome hangs on differs."""
    if before is None or (before.site.site, before.site.tax) != (after.site.site, after.site.tax):
        return True
    old, new = before.checkouts.get(name), after.checkouts.get(name)
    if old != new or old is None or before.currencies != after.currencies:
        return True
    if before.coupons != after.coupons:
        return True
    return any(before.prices[price] != after.prices.get(price) for price in before.sold_at(old))


def _outcome(
    edition: Edition | None, name: str, choice: Choice, buyer: StandInBuyer, at: datetime
) -> tuple[str, object] | None:
    """What a buyer pays at a checkout, in a few words and as what can be compared; None where it is not sold."""
    checkout = edition.checkouts.get(name) if edition else None
    if edition is None or checkout is None or choice[0] not in edition.prices:
        return None
    if not edition.is_sold_at(checkout, choice[0]) or not _has(edition, choice):
        return None
    if buyer.currency not in edition.currencies:
        return f"not sold in {buyer.currency}", None
    price, variant = choice
    wanted = wanted_of(edition.prices[price], buyer.currency, variant=variant)
    wanted = replace(wanted, own_discount=edition.own_discount(checkout, buyer.currency))
    made = tape(edition, wanted, buyer.currency, as_buyer(buyer), at, customer=as_customer(buyer))
    if made.problems:
        return "cannot buy", None
    due = next(row.amount for row in made.rows if row.kind == "due")
    taxes = " + ".join(row.amount for row in made.rows if row.kind == "tax")
    words = f"{buyer.currency} {due}, tax {taxes}"
    later = [(row.label, row.amount, row.reasons[-1]) for row in made.rows if row.kind == "later"]
    if later:
        day, amount, _ = later[0]
        words += f", then {amount} on {day}" + (f" and {len(later) - 1} more" if len(later) > 1 else "")
    return words, (words, later)


def _has(edition: Edition, choice: Choice) -> bool:
    price, variant = choice
    product = edition.prices[price].product
    return variant is None or any(one.id == variant and one.amount is not None for one in product.variants)


def _looked_at(before: Edition | None, after: Edition, name: str) -> list[list[Choice]]:
    """What can be bought at a checkout before and after. Of all that the everyday one sells, only what differs."""
    sides = [one for one in (before, after) if one is not None and name in one.checkouts]
    if before is None or not all(one.checkouts[name].everyday for one in sides):
        return [_choices(one, one.checkouts[name].prices) for one in sides]
    sold = [list(one.sold_at(one.checkouts[name])) for one in sides]
    either = dict.fromkeys(price for one in sold for price in one)
    differ = [one for one in either if before.prices.get(one) != after.prices.get(one)] or list(either)
    looked_at = frozenset(differ[:MOST_PRICES])
    return [
        _choices(one, [price for price in prices if price in looked_at])
        for one, prices in zip(sides, sold, strict=True)
    ]


def _choices(edition: Edition, prices: Iterable[str]) -> list[Choice]:
    """What can be bought of prices; variants count where they have an amount of their own."""
    found: list[Choice] = []
    for price in prices:
        own = [one.id for one in edition.prices[price].product.variants if one.amount is not None]
        found += [(price, None), *((price, one) for one in own)]
    return found


def _amount_effects(
    before: Edition | None, after: Edition, name: str, buyer: StandInBuyer, at: datetime
) -> Iterator[Effect]:
    title = _checkout(before, after, name).name
    sold = _looked_at(before, after, name)
    choices = list(dict.fromkeys(choice for one in sold for choice in one))
    pairs = [(choice, choice) for choice in choices]
    if len(sold) == 2 and all(len(one) == 1 for one in sold):  # one took the place of the other
        pairs = [(sold[0][0], sold[1][0])]
    for was_choice, choice in pairs:
        old, new = _outcome(before, name, was_choice, buyer, at), _outcome(after, name, choice, buyer, at)
        if old == new:
            continue
        kind: EffectKind = "new" if old is None else "gone" if new is None else "amount"
        what = "pays" if len(pairs) == 1 else f"pays for {' '.join(part for part in choice if part)}"
        was, now = old and old[0], new and new[0]
        yield Effect(name, title, kind, what, was, f"{now}, at other times" if was == now else now)


def _page_effects(before: Edition | None, after: Edition, name: str) -> Iterator[Effect]:
    old = before.checkouts.get(name) if before else None
    new = after.checkouts.get(name)
    if before is None or old is None or new is None:
        return
    for what, was, now in (
        ("heading", old.heading or old.name, new.heading or new.name),
        ("text under the heading", old.text, new.text),
        ("pay button", old.button, new.button),
        ("what is bought", _sold(before, old), _sold(after, new)),
        ("how many things may be taken", _taken(old), _taken(new)),
        ("ways to pay", ", ".join(old.ways or ["all"]), ", ".join(new.ways or ["all"])),
        ("name of the business", before.site.site.name, after.site.site.name),
        ("colour", before.site.site.colour, after.site.site.colour),
    ):
        if was != now:
            yield Effect(name, new.name, "page", what, was or "nothing", now or "nothing")


def _taken(checkout: Checkout) -> str:
    return "several" if checkout.takes_several else "one"


def _sold(edition: Edition, checkout: Checkout) -> str:
    if checkout.everyday and not checkout.prices:
        return "whatever a basket holds"
    return ", ".join(dict.fromkeys(edition.prices[price].product.name for price in checkout.prices))


def _checkout(before: Edition | None, after: Edition, name: str) -> Checkout:
    found = after.checkouts.get(name) or (before.checkouts.get(name) if before else None)
    assert found is not None
    return found
