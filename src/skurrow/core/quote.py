"""A quote: what one order costs, exactly, with its reasons.

Computed here for `once` prices with tax included at the seller's own rate. Whatever else an order asks for is
refused in plain words (`QuoteRefused`), never guessed. Same site, same order: same quote.

Sources: docs of the contract in `docs/computing.md`; ISO 4217 minor units; rounding half up per line, as HMRC
VAT Notice 700 §17.5 allows (from memory).
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from functools import lru_cache
from typing import Annotated, Any, NamedTuple

from pydantic import AwareDatetime, BaseModel, BeforeValidator, ConfigDict, Field, ValidationError

from skurrow.core.countries import COUNTRIES, EU, in_eu
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import LARGEST, amount_writer, format_amount, included_tax
from skurrow.core.problems import InvalidInput, Path, Problem, problems_of
from skurrow.core.site import Country
from skurrow.core.words import sentence

FORMAT = "skurrow-quote/1"


class _Given(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Item(_Given):
    """One thing ordered: `quantity` of a price."""

    price: str
    quantity: Annotated[int, Field(strict=True, ge=1, le=9999)] = 1
    variant: str | None = None
    chosen: str | None = None
    own_discount: dict[str, Any] | None = None


class Buyer(_Given):
    """Who buys, as far as amounts depend on it."""

    country: Country
    region: str | None = None
    postal_code: str | None = None
    business: bool = False
    tax_number: str | None = None
    tax_number_confirmed: bool | None = None
    deliver_to: dict[str, Any] | None = None


def _instant(value: object) -> object:
    if isinstance(value, str):
        try:
            return datetime.fromisoformat(value)
        except ValueError:
            raise ValueError(f'"{value}" is no instant; write it as in "2026-11-24T10:00:00Z"') from None
    return value


class Order(_Given):
    """What is asked to be quoted; `at` is an instant with its offset."""

    at: Annotated[AwareDatetime, BeforeValidator(_instant)]
    currency: str
    items: Annotated[list[Item], Field(min_length=1, max_length=500)]
    coupons: list[str] = Field(default_factory=list)
    delivery: str | None = None
    buyer: Buyer


_KINDS = ("goods", "digital", "service", "event")
_NOTED = {"picked_up", "eu_below_threshold"}
"""Reasons that a buyer is told of."""


class QuoteRefused(InvalidInput):
    """The order cannot be quoted; `problems` says why and what to do."""


class Line(NamedTuple):
    """One item priced, in minor units; `net + tax = total`."""

    price: str
    name: str
    quantity: int
    unit: int
    total: int
    tax: int
    place: str
    tax_name: str
    rate: Decimal
    reason: tuple[str, str]


class TaxLine(NamedTuple):
    """One tax of a place at a rate: base and amount in minor units."""

    place: str
    name: str
    rate: Decimal
    base: int
    amount: int
    reason: tuple[str, str]


@dataclass(frozen=True, slots=True)
class Quote:
    """The outcome for one buyer."""

    currency: str
    lines: tuple[Line, ...]
    taxes: tuple[TaxLine, ...]
    due_today: int
    tax_total: int
    notes: tuple[tuple[str, str], ...]

    def as_json(self) -> dict[str, Any]:
        """The quote in the shape of the contract: amounts as texts with exactly the currency's decimals."""

        money = amount_writer(self.currency)
        zero = money(0)
        return {
            "format": FORMAT,
            "currency": self.currency,
            "lines": [
                {
                    "price": line.price,
                    "name": line.name,
                    "quantity": line.quantity,
                    "unit": money(line.unit),
                    "subtotal": (total := money(line.total)),
                    "discount": zero,
                    "untaxed": zero,
                    "net": money(line.total - line.tax),
                    "tax": money(line.tax),
                    "total": total,
                }
                for line in self.lines
            ],
            "delivery": None,
            "taxes": [
                {
                    "place": tax.place,
                    "name": tax.name,
                    "rate": rate_text(tax.rate),
                    "treatment": "standard",
                    "base": money(tax.base),
                    "amount": money(tax.amount),
                    "reason": {"code": tax.reason[0], "text": tax.reason[1]},
                }
                for tax in self.taxes
            ],
            "discount_total": zero,
            "tax_total": money(self.tax_total),
            "due_today": money(self.due_today),
            "later": [],
            "notes": [{"code": code, "text": text} for code, text in self.notes],
        }


def read_order(data: Any) -> Order:
    """An order from plain data; raises QuoteRefused with every problem."""
    try:
        return Order.model_validate(data)
    except ValidationError as error:
        names = {
            "": list(Order.model_fields),
            "items": list(Item.model_fields),
            "buyer": list(Buyer.model_fields),
        }
        raise QuoteRefused(problems_of(error, names)) from None


def quote(edition: Edition, order: Order) -> Quote:
    """Prices an order under an edition. Raises QuoteRefused with every problem at once."""
    problems = _not_computed_yet(order)
    if order.currency not in edition.currencies:
        remedy = "Choose one of " + ", ".join(edition.currencies)
        problems.append(Problem(("currency",), f"The site does not sell in {order.currency}", remedy, "unknown"))
        raise QuoteRefused(problems)
    lines: list[Line] = []
    notes: list[tuple[str, str]] = []
    why = {kind: _why_taxed_at_home(edition, kind, order.buyer) for kind in _KINDS}
    for i, item in enumerate(order.items):
        try:
            line = _line(edition, order, item, ("items", i), why, notes)
        except QuoteRefused as refused:
            problems += refused.problems
            continue
        lines.append(line)
    due = sum(line.total for line in lines)
    if due > LARGEST:
        most = f"{format_amount(LARGEST, order.currency)} {order.currency}"
        problems.append(Problem(("items",), f"The total is above {most}", "Order less at once"))
    if problems:
        raise QuoteRefused(problems)
    taxes = _taxes(lines)
    return Quote(
        currency=order.currency,
        lines=tuple(lines),
        taxes=taxes,
        due_today=due,
        tax_total=sum(tax.amount for tax in taxes),
        notes=tuple(notes),
    )


def buyer_countries(edition: Edition, price: str) -> frozenset[str]:
    """The countries whose consumers this version can quote the price for."""
    priced = edition.prices[price]
    home = edition.site.site.country
    if priced.product.kind != "digital":
        return COUNTRIES
    return EU if home in EU else frozenset({home})


@lru_cache(maxsize=1024)
def rate_text(rate: Decimal) -> str:
    """A rate with at least two decimals and no needless ones: "0.21", "0.20", "0.08875"."""
    text = f"{rate.normalize():f}"
    whole, _, decimals = text.partition(".")
    return f"{whole}.{decimals.ljust(2, '0')}"


# -- lines ------------------------------------------------------------------------------------------------


def _line(
    edition: Edition,
    order: Order,
    item: Item,
    path: Path,
    why: dict[str, str | None],
    notes: list[tuple[str, str]],
) -> Line:
    """Prices one item; what the buyer should know is added to `notes`, once."""
    priced = edition.prices.get(item.price)
    if priced is None:
        remedy = "Choose one of the site's prices"
        raise QuoteRefused([Problem((*path, "price"), f"There is no price “{item.price}”", remedy, "unknown")])
    code, currency = why[priced.product.kind], order.currency
    unit = priced.amounts[currency]
    total = unit * item.quantity
    problems = _item_problems(priced, item, path)
    if total > LARGEST:
        most = f"{format_amount(LARGEST, currency)} {currency}"
        problems.append(Problem((*path, "quantity"), f"The line is above {most}", "Order fewer"))
    if code is None:
        problems.append(_abroad(edition, priced, order.buyer, path))
    if problems or code is None:
        raise QuoteRefused(problems)
    rate = priced.home_rate
    reason = _reason(code, rate.place, rate.rate, order.buyer.country)
    if code in _NOTED:
        _note(notes, reason)
    if rate.fallback:
        _note(notes, ("standard_row", sentence("standard_row", counts_as=rate.counts_as, place=rate.place)))
    if currency in priced.converted:
        by = next(c.rate for c in edition.site.currencies if c.code == currency)
        _note(notes, ("converted", sentence("converted", base=edition.base, rate=str(by))))
    tax = included_tax(total, rate.rate)
    name = priced.product.name
    return Line(item.price, name, item.quantity, unit, total, tax, rate.place, rate.name, rate.rate, reason)


def _note(notes: list[tuple[str, str]], note: tuple[str, str]) -> None:
    if note not in notes:
        notes.append(note)


@lru_cache(maxsize=4096)
def _reason(code: str, place: str, rate: Decimal, buyer: str) -> tuple[str, str]:
    percent = f"{(rate * 100).normalize():f}"
    return code, sentence(code, place=place, percent=percent, buyer=buyer)


def _item_problems(priced: PricedProduct, item: Item, path: Path) -> list[Problem]:
    problems: list[Problem] = []
    limits = priced.price.quantity
    if item.variant is not None:
        message = f"“{priced.product.name}” has no variant “{item.variant}”"
        problems.append(Problem((*path, "variant"), message, "Leave it out", "unknown"))
    if item.own_discount is not None:
        problems.append(_not_yet((*path, "own_discount"), "discounts", "Leave it out for now"))
    if item.chosen is not None:
        problems.append(Problem((*path, "chosen"), "This price has a fixed amount", "Leave it out"))
    if not limits.min <= item.quantity <= limits.max:
        message = f"“{priced.product.name}” is sold {_limits(limits.min, limits.max)}"
        problems.append(Problem((*path, "quantity"), message, "Change the quantity", "quantity"))
    return problems


def _limits(least: int, most: int) -> str:
    if least == most == 1:
        return "one at a time"
    return f"{least} at a time" if least == most else f"{least} to {most} at a time"


def _taxes(lines: list[Line]) -> tuple[TaxLine, ...]:
    sums: dict[tuple[str, str, Decimal], list[int]] = {}
    reasons: dict[tuple[str, str, Decimal], tuple[str, str]] = {}
    for line in lines:
        key = (line.place, line.tax_name, line.rate)
        found = sums.setdefault(key, [0, 0])
        found[0] += line.total - line.tax
        found[1] += line.tax
        reasons.setdefault(key, line.reason)
    return tuple(TaxLine(*key, base=base, amount=amount, reason=reasons[key]) for key, (base, amount) in sums.items())


# -- which tax --------------------------------------------------------------------------------------------


def _why_taxed_at_home(edition: Edition, kind: str, buyer: Buyer) -> str | None:
    """The reason for which the seller's own rate applies to a kind of product, or None where another rule would
    have to decide."""
    home = edition.site.site.country
    if kind == "event":
        return "held_at_home"
    if buyer.country == home and (home not in EU or in_eu(home, buyer.postal_code)):
        return "home_rate"
    if kind == "goods":
        return "picked_up"
    if buyer.business:
        return None
    if kind == "service":
        return "service_at_home"
    within = home in EU and in_eu(buyer.country, buyer.postal_code)
    return "eu_below_threshold" if within else None


def _abroad(edition: Edition, priced: PricedProduct, buyer: Buyer, path: Path) -> Problem:
    who = "businesses" if buyer.business else "buyers"
    message = (
        f"This version of Skurrow does not compute the tax on “{priced.product.name}” for {who} in {buyer.country} yet"
    )
    return Problem(
        (*path, "price"),
        message,
        "Sell it to consumers in "
        + ("the European Union" if edition.site.site.country in EU else edition.site.site.country),
        "not_computed_yet",
    )


def _not_computed_yet(order: Order) -> list[Problem]:
    problems = [
        Problem(("coupons", i), f"There is no coupon “{name}”", "Leave it out", "unknown")
        for i, name in enumerate(order.coupons)
    ]
    if order.delivery is not None:
        message = f"There is no way of delivery called “{order.delivery}”"
        problems.append(Problem(("delivery",), message, "Leave it out", "unknown"))
    if order.buyer.deliver_to is not None:
        problems.append(_not_yet(("buyer", "deliver_to"), "delivery", "Leave it out for now"))
    return problems


def _not_yet(path: Path, words: str, remedy: str) -> Problem:
    return Problem(path, f"This version of Skurrow does not compute {words} yet", remedy, "not_computed_yet")
