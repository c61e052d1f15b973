"""A five-line quote against its floor: Pydantic reading the same order and writing the same result, plus the bare
Decimal sums of every amount shown. As buyers ask for it (others have ordered alike before), and never asked before."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from decimal import Decimal
from itertools import count
from typing import Any

from pydantic import BaseModel
from pydantic_core import to_json

from benchmarks.measure import Result, side_by_side
from skurrow.core.check.site import check_text
from skurrow.core.edition import Edition, compile_site
from skurrow.core.order import Order, read_order
from skurrow.core.quote.pricing import Pricing
from skurrow.core.quote.quote import quote
from skurrow.core.quote.written import Quote
from skurrow.core.site import file as site_file
from skurrow.core.site import text as site_text
from skurrow.run.installation import ROOT

Asked = Callable[[Edition, Order], Quote]
PRICES = ("kit", "thread", "parcel-month", "bench-month", "papers")
COUPONS = ["BIND10", "PARCEL3"]


class _Taxed(BaseModel):
    place: str
    treatment: str
    rate: str
    reason: dict[str, str]
    levies: list[tuple[str, str, str]]


class _Line(BaseModel):
    price: str
    name: str
    quantity: int
    variant: str | None
    unit: str
    subtotal: str
    discount: str
    untaxed: str
    net: str
    tax: str
    taxes: list[str]
    total: str
    reasons: list[dict[str, str]]
    taxed: _Taxed


class _Later(BaseModel):
    on: str
    prices: list[str]
    net: str
    tax: str
    total: str
    delivery: str | None = None
    reasons: list[dict[str, str]]


class _Tax(BaseModel):
    place: str
    name: str
    rate: str
    treatment: str
    base: str
    amount: str
    reason: dict[str, str]


class _Written(BaseModel):
    format: str
    currency: str
    lines: list[_Line]
    tax_included: bool
    delivery: dict[str, Any]
    taxes: list[_Tax]
    discounts: list[dict[str, str]]
    discount_total: str
    untaxed_total: str
    tax_total: str
    due_today: str
    later: list[_Later]
    plan: list[str]
    notes: list[dict[str, str]]


def order(lines: int = 5) -> dict[str, Any]:
    """An order of so many lines, with coupons, a monthly parcel by post and a trial."""
    items = [{"price": PRICES[n % len(PRICES)], "quantity": 1} for n in range(lines)]
    return {
        "at": "2026-11-24T10:00:00Z",
        "currency": "EUR",
        "items": items,
        "coupons": COUPONS,
        "delivery": "post",
        "buyer": {"country": "NL", "postal_code": "3511 LX"},
    }


def run(rounds: int, products: tuple[int, int]) -> list[Result]:
    """Five lines against the floor, 500 lines against five, and site files of many products against few."""
    edition = compile_site(check_text((ROOT / "demo" / "site.yaml").read_text()))
    results = []
    for name, lines, calls, asked in (
        ("quote of 5 lines, asked before", 5, 300, quote),
        ("quote of 5 lines, never asked before", 5, 300, _anew),
        ("quote of 500 lines", 500, 5, _anew),
    ):
        data = order(lines)
        written = _Written.model_validate(quote(edition, read_order(data)).as_json())
        buyer = count()

        def ours(data: dict[str, Any] = data, asked: Asked = asked, buyer: Iterator[int] = buyer) -> bytes:
            data["buyer"]["postal_code"] = f"{1000 + next(buyer) % 9000} AB"  # everybody lives somewhere else
            return to_json(asked(edition, read_order(data)).as_json())

        def floor(data: dict[str, Any] = data, written: _Written = written) -> str:
            Order.model_validate(data)
            for line in written.lines:
                Decimal(line.net) + Decimal(line.tax)
            sum(Decimal(line.total) for line in written.lines)
            sum(Decimal(tax.amount) for tax in written.taxes)
            for day in written.later:
                Decimal(day.net) + Decimal(day.tax)
            return written.model_dump_json(exclude_unset=True)

        assert json.loads(ours()) == json.loads(floor())
        mine, its, ratio = side_by_side(ours, floor, rounds, calls)
        aim = 3.0 if asked is quote else 4.0
        results.append(Result(name, f"{mine * 1e6:.0f} µs", f"{its * 1e6:.0f} µs", ratio, aim))
        if lines == 5:
            per_line = mine / 5  # of those that were never asked before
        else:
            grown = (mine / 500) / per_line
            results.append(
                Result(
                    "a line of 500 against one of 5",
                    f"{mine / 500 * 1e6:.1f} µs",
                    f"{per_line * 1e6:.1f} µs",
                    grown,
                    1.1,
                )
            )
    return [*results, _checking(rounds, *products)]


def _anew(edition: Edition, order: Order) -> Quote:
    return Pricing(edition, order).quote()


def _checking(rounds: int, many: int, few: int) -> Result:
    """Checking and compiling a site file, a product: many products against few."""
    texts = {products: site_of(products) for products in (many, few)}

    def check(products: int) -> Callable[[], object]:
        return lambda: compile_site(check_text(texts[products]))

    of_many, of_few, ratio = side_by_side(check(many), check(few), max(2, rounds // 5), 1)
    name = f"a product of a file of {many:,} against {few}"
    return Result(name, f"{of_many / many * 1e6:.0f} µs", f"{of_few / few * 1e6:.0f} µs", ratio * few / many, 1.3)


def site_of(products: int) -> str:
    """The demo with so many products more."""
    data = site_file.read((ROOT / "demo" / "site.yaml").read_text()).data
    kit = next(one for one in data["products"] if one["id"] == "linen-thread")
    for n in range(products):
        price = {**kit["prices"][0], "id": f"thread-{n}"}
        data["products"].append({**kit, "id": f"thread-{n}", "prices": [price]})
    return site_text.write(data)
