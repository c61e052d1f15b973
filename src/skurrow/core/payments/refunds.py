"""What of a paid order can be given back, and the tax in what is.

A refund's tax is round(tax × refunded so far ÷ total) minus the tax already refunded, part by part, at the original's
rates; of several taxes each has its share. Everything given back gives all the tax back, to the cent.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from skurrow.core.edition import Edition
from skurrow.core.money import AmountError, amount_writer, divide_half_up, parse_amount, share
from skurrow.core.problems import InvalidInput, Problem

DELIVERY = "delivery"


@dataclass(frozen=True, slots=True)
class Levied:
    """One tax in an amount: where, its name, its rate as a text, and how much of it in minor units."""

    place: str
    name: str
    rate: str
    amount: int


@dataclass(frozen=True, slots=True)
class Sold:
    """A part of an order that was paid: a line by its number, or part number `part` of the delivery. In minor units;
    `refunded` with the tax in it is what was given back, or is being, before."""

    line: int | None
    part: int
    name: str
    kind: str
    quantity: int
    total: int
    tax: int
    place: str
    treatment: str
    rate: str
    reason: str
    levies: tuple[Levied, ...]
    refunded: int
    refunded_tax: int
    put_back: int

    @property
    def left(self) -> int:
        """What can still be given back."""
        return self.total - self.refunded


@dataclass(frozen=True, slots=True)
class Part:
    """What is given back of a part, with its tax, and how many pieces go back into stock."""

    of: Sold
    amount: int
    tax: int
    taxes: tuple[Levied, ...]
    put_back: int

    def as_json(self, currency: str) -> dict[str, Any]:
        """The part as a refund keeps it."""
        money, sold = amount_writer(currency), self.of
        rows = [(one.place, one.name, one.rate, one.amount) for one in self.taxes] or [
            (sold.place, "No tax", "0.00", 0)
        ]
        net = self.amount - self.tax
        return {
            "line": sold.line,
            "part": sold.part,
            "name": sold.name,
            "kind": sold.kind,
            "net": money(net),
            "tax": money(self.tax),
            "total": money(self.amount),
            "put_back": self.put_back,
            "taxed": {
                "place": sold.place,
                "treatment": sold.treatment,
                "rate": sold.rate,
                "reason": {"code": sold.reason},
            },
            "taxes": [
                {
                    "place": place,
                    "name": name,
                    "rate": rate,
                    "treatment": sold.treatment,
                    "base": money(net),
                    "amount": money(amount),
                }
                for place, name, rate, amount in rows
            ],
        }


@dataclass(frozen=True, slots=True)
class Asked:
    """What is asked to be given back: an amount of a line (None: of the delivery), as it was typed, and pieces that go
    back into stock."""

    line: int | None
    amount: str
    put_back: int = 0


def sold(edition: Edition, quote: Mapping[str, Any], earlier: Iterable[Sequence[Mapping[str, Any]]]) -> list[Sold]:
    """The parts of an order from its quote, with the parts of `earlier` refunds taken into account."""
    currency = quote["currency"]

    def minor(amount: str) -> int:
        return parse_amount(amount, currency)

    before: dict[tuple[int | None, int], list[int]] = {}
    for parts in earlier:
        for part in parts:
            known = before.setdefault((part["line"], part["part"]), [0, 0, 0])
            known[0] += minor(part["total"])
            known[1] += minor(part["tax"])
            known[2] += part["put_back"]
    found = []
    delivery = quote.get("delivery") or {}
    sent = delivery.get("parts") or ([delivery] if delivery else [])
    listed: list[tuple[int | None, int, Mapping[str, Any]]] = [(n, 0, line) for n, line in enumerate(quote["lines"])]
    listed += [(None, k, {"name": delivery["name"], **part}) for k, part in enumerate(sent)]
    for number, k, part in listed:
        taxed = part.get("taxed") or {**quote["taxes"][0], "reason": quote["taxes"][0]["reason"]}
        refunded, tax, back = before.get((number, k), (0, 0, 0))
        price = None if number is None else edition.prices.get(part["price"])
        found.append(
            Sold(
                line=number,
                part=k,
                name=part["name"],
                kind=DELIVERY if number is None else price.product.kind if price else "goods",
                quantity=part.get("quantity", 1),
                total=minor(part["total"]),
                tax=minor(part["tax"]),
                place=taxed["place"],
                treatment=taxed["treatment"],
                rate=taxed["rate"],
                reason=taxed["reason"]["code"],
                levies=_levies(quote, part, taxed, minor(part["tax"])),
                refunded=refunded,
                refunded_tax=tax,
                put_back=back,
            )
        )
    return found


def refund(parts: Sequence[Sold], asked: Sequence[Asked], currency: str) -> list[Part]:
    """What is given back, part by part. Raises InvalidInput naming each amount that cannot be."""
    money = amount_writer(currency)
    problems: list[Problem] = []
    found: list[Part] = []
    seen: set[int | None] = set()
    for i, one in enumerate(asked):
        path = ("parts", i, "amount")
        mine = [part for part in parts if part.line == one.line]
        if not mine or one.line in seen:
            message = "There is no such line" if not mine else "This line is named twice"
            problems.append(Problem(("parts", i, "line"), message, "Reload the order", "unknown"))
            continue
        seen.add(one.line)
        left = sum(part.left for part in mine)
        try:
            amount = parse_amount(one.amount, currency)
        except AmountError as error:
            message, _, remedy = str(error).partition("; ")
            problems.append(Problem(path, message, remedy.capitalize() or "Write a smaller amount"))
            continue
        if amount > left:
            message = f"At most {money(left)} {currency} of “{mine[0].name}” can be given back"
            problems.append(Problem(path, message, "Write that, or less", "too_much"))
            continue
        if not 0 <= one.put_back <= mine[0].quantity - mine[0].put_back:
            message = f"At most {mine[0].quantity - mine[0].put_back} can go back into stock"
            problems.append(Problem(("parts", i, "put_back"), message, "Write that, or less", "too_much"))
            continue
        shares = share(amount, [part.left for part in mine]) if len(mine) > 1 else [amount]
        found += [
            _part(part, mine_of, one.put_back if k == 0 else 0)
            for k, (part, mine_of) in enumerate(zip(mine, shares, strict=True))
            if mine_of
        ]
    if not problems and not found:
        problems.append(Problem(("parts",), "Nothing is given back so", "Write an amount above 0", "missing"))
    if problems:
        raise InvalidInput(problems)
    return found


def credited(part: Sold, amount: int, tax: int) -> Part:
    """Unused time of a line that is credited, with its tax, which its taxes share."""
    weights = [one.amount for one in part.levies]
    shares = share(tax, weights) if any(weights) else [0 for _ in weights]
    taxes = tuple(Levied(one.place, one.name, one.rate, mine) for one, mine in zip(part.levies, shares, strict=True))
    return Part(part, amount, tax, taxes, 0)


def by_line(parts: Iterable[Mapping[str, Any]], currency: str) -> dict[int | None, int]:
    """What the parts of a refund, as it keeps them, come to by line, in minor units."""
    found: dict[int | None, int] = {}
    for part in parts:
        found[part["line"]] = found.get(part["line"], 0) + parse_amount(part["total"], currency)
    return found


def asked_by_line(asked: Iterable[Asked], currency: str) -> dict[int | None, int]:
    """The same of what is asked for; an amount that is none counts as -1."""
    found: dict[int | None, int] = {}
    for one in asked:
        try:
            amount = parse_amount(one.amount, currency)
        except AmountError:
            amount = -1
        if amount:
            found[one.line] = amount
    return found


def refund_until(edition: Edition, price: str, paid: date) -> date | None:
    """The last day on which the shop takes something back by its own promise; None where it promises nothing."""
    known = edition.prices.get(price)
    days = known.product.refund_days if known else None
    return None if days is None else paid + timedelta(days=days)


def _part(of: Sold, amount: int, put_back: int) -> Part:
    so_far = divide_half_up(of.tax * (of.refunded + amount), of.total) if of.total else 0
    weights = [one.amount for one in of.levies]

    def shared(tax: int) -> list[int]:
        return share(tax, weights) if any(weights) else [0 for _ in weights]

    taxes = tuple(
        Levied(one.place, one.name, one.rate, after - before)
        for one, after, before in zip(of.levies, shared(so_far), shared(of.refunded_tax), strict=True)
    )
    return Part(of, amount, so_far - of.refunded_tax, taxes, put_back)


def _levies(
    quote: Mapping[str, Any], part: Mapping[str, Any], taxed: Mapping[str, Any], tax: int
) -> tuple[Levied, ...]:
    """The taxes of a part: as they are kept beside it or, of one tax, the only one there can be."""
    kept = taxed.get("levies")
    if kept is not None:
        amounts = [parse_amount(amount, quote["currency"]) for amount in part["taxes"]]
        return tuple(
            Levied(place, name, rate, amount) for (place, name, rate), amount in zip(kept, amounts, strict=True)
        )
    if not Decimal(taxed["rate"]):
        return ()
    alike = (one for one in quote["taxes"] if (one["rate"], one["treatment"]) == (taxed["rate"], taxed["treatment"]))
    name = next((one["name"] for one in alike), "Tax")
    return (Levied(taxed["place"], name, taxed["rate"], tax),)
