"""A quote, and how it is written down."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import lru_cache
from typing import Any, NamedTuple

from skurrow.core.durations import NOTHING
from skurrow.core.money import amount_writer
from skurrow.core.order import Item
from skurrow.core.quote.charges import DayCharge
from skurrow.core.quote.discounts import Charged, Cuts, Discount, Note
from skurrow.core.quote.reasons import Reason, day_reasons, plan_words
from skurrow.core.quote.taxing import Sent, Taxed
from skurrow.core.tax.deciding import Ruling
from skurrow.core.tax.rates import rate_text

FORMAT = "skurrow-quote/1"
YEARS_SCHEDULED = 100
NO_TAX = "No tax"


class Line(NamedTuple):
    """One item priced, in minor units: what is `left` of the subtotal after discounts is due today, with its tax."""

    item: Item
    name: str
    charged: Charged
    unit: int
    subtotal: int
    cuts: Cuts
    left: int
    taxed: Taxed
    reasons: tuple[Reason, ...]

    @property
    def total(self) -> int:
        """What is paid for it today, with its tax."""
        return self.taxed.total

    @property
    def tax(self) -> int:
        """The tax in that."""
        return self.taxed.tax

    @property
    def ruling(self) -> Ruling:
        """How it is taxed."""
        return self.taxed.ruling


class TaxLine(NamedTuple):
    """One tax of a place at a rate, or an amount without tax: base and amount in minor units."""

    place: str
    name: str
    rate: Decimal
    treatment: str
    reason: Reason
    base: int
    amount: int


@dataclass(frozen=True, slots=True)
class Quote:
    """The outcome for one buyer."""

    currency: str
    today: date
    lines: tuple[Line, ...]
    taxes: tuple[TaxLine, ...]
    due_today: int
    tax_total: int
    later: tuple[DayCharge, ...]
    discounts: tuple[Discount, ...]
    notes: tuple[Note, ...]
    sent: Sent | None
    included: bool
    written: dict[bool, dict[str, Any]] = field(default_factory=dict, compare=False, repr=False)
    """As JSON, explained or not, once it was asked for."""

    @property
    def coupons(self) -> tuple[str, ...]:
        """The coupons that apply."""
        return tuple(one.coupon for one in self.discounts if one.coupon is not None)

    def taken_by(self, k: int) -> int:
        """What discount number `k` takes off today."""
        return sum([amount for line in self.lines for which, amount in line.cuts if which == k])

    @property
    def discount_total(self) -> int:
        """What all discounts take off today."""
        return sum(line.subtotal - line.left for line in self.lines)

    @property
    def untaxed_total(self) -> int:
        """The home tax that came off because none is due."""
        lines = sum([line.taxed.untaxed for line in self.lines])
        return lines + (self.sent.untaxed if self.sent is not None else 0)

    def reasons_of(self, day: DayCharge) -> list[Reason]:
        """Why a later charge is what it is."""
        return day_reasons(self.lines, self.discounts, day, self.currency)

    def as_json(self, explained: bool = True) -> dict[str, Any]:
        """The quote in the shape of the contract: amounts as texts with exactly the currency's decimals.

        What is not `explained` leaves out why lines and later charges are what they are: buyers are not told at what
        rate and to which step the owner converts.
        """
        if explained not in self.written:
            self.written[explained] = self._as_json(explained)
        return dict(self.written[explained])  # entries may be added to it; what is in them is shared

    def _as_json(self, explained: bool) -> dict[str, Any]:
        money = amount_writer(self.currency)
        return {
            "format": FORMAT,
            "currency": self.currency,
            "lines": [
                {
                    "price": line.item.price,
                    "name": line.name,
                    "quantity": line.item.quantity,
                    "variant": line.item.variant,
                    "unit": money(line.unit),
                    "subtotal": money(line.subtotal),
                    "discount": money(line.subtotal - line.left),
                    "untaxed": money(line.taxed.untaxed),
                    "net": money(line.taxed.total - line.taxed.tax),
                    "tax": money(line.taxed.tax),
                    "total": money(line.taxed.total),
                    **({**_reasons(line.reasons), **self._taxed_json(line.taxed)} if explained else {}),
                }
                for line in self.lines
            ],
            "tax_included": self.included,
            "delivery": None if self.sent is None else self._sent_json(self.sent, explained),
            "taxes": [
                {
                    "place": tax.place,
                    "name": tax.name,
                    "rate": rate_text(tax.rate),
                    "treatment": tax.treatment,
                    "base": money(tax.base),
                    "amount": money(tax.amount),
                    "reason": {"code": tax.reason[0], "text": tax.reason[1]},
                }
                for tax in self.taxes
            ],
            "discounts": [
                {"coupon": one.coupon, "name": one.label, "words": one.words, "amount": money(self.taken_by(k))}
                for k, one in enumerate(self.discounts)
            ],
            "discount_total": money(self.discount_total),
            "untaxed_total": money(self.untaxed_total),
            "tax_total": money(self.tax_total),
            "due_today": money(self.due_today),
            "later": self._later_json()
            if explained
            else [{"on": one.on.isoformat(), **self._day_plain(one)} for one in self.later],
            "plan": self._plan(),
            "notes": [{"code": note.code, "text": note.text} for note in self.notes],
        }

    def _sent_json(self, sent: Sent, explained: bool) -> dict[str, Any]:
        money = amount_writer(self.currency)
        parts = [
            {
                "net": money(part.total - part.tax),
                "tax": money(part.tax),
                "total": money(part.total),
                **self._taxed_json(part),
            }
            for part in (sent.parts if explained else ())
        ]
        return {
            "method": sent.method.id,
            "name": sent.method.method.name,
            "amount": money(sent.amount),
            "untaxed": money(sent.untaxed),
            "net": money(sent.total - sent.tax),
            "tax": money(sent.tax),
            "total": money(sent.total),
            **({"parts": parts} if explained else {}),
        }

    def _taxed_json(self, taxed: Taxed) -> dict[str, Any]:
        money = amount_writer(self.currency)
        return {"taxed": _ruling_json(taxed.ruling), "taxes": [money(tax) for tax in taxed.taxes]}

    def _later_json(self) -> list[dict[str, Any]]:
        """The later charges; days that are alike share all but their day."""
        alike: dict[int, dict[str, Any]] = {}
        found = []
        for day in self.later:
            written = alike.get(id(day.due))
            if written is None:
                written = alike[id(day.due)] = self._day_written(day)
            found.append({"on": day.on.isoformat(), **written})
        return found

    def _day_written(self, day: DayCharge) -> dict[str, Any]:
        return {**self._day_plain(day), **_reasons(self.reasons_of(day))}

    def _day_plain(self, day: DayCharge) -> dict[str, Any]:
        money = amount_writer(self.currency)
        sent = {} if day.sent is None else {"delivery": money(day.sent.total)}
        return {
            "prices": list(dict.fromkeys([self.lines[part.line].item.price for part in day.due])),
            "net": money(day.total - day.tax),
            "tax": money(day.tax),
            "total": money(day.total),
            **sent,
        }

    def _plan(self) -> list[str]:
        """What is charged over time, in sentences."""
        found: list[str] = []
        for line in self.lines:
            charged = line.charged
            if charged.priced.rhythm.every != NOTHING:
                found += plan_words(line.name, charged, self.currency)
        return found


@lru_cache(maxsize=4096)
def _ruling_json(ruling: Ruling) -> dict[str, Any]:
    """How a line is taxed, in plain data; nobody changes it."""
    numerator, denominator = ruling.rate
    return {
        "place": ruling.place,
        "treatment": ruling.treatment,
        "rate": rate_text(Decimal(numerator) / Decimal(denominator)),
        "reason": {"code": ruling.reason[0], "text": ruling.reason[1]},
        "levies": [[levy.place, levy.name, rate_text(levy.rate.rate)] for levy in ruling.levies],
    }


def _reasons(found: Iterable[Reason]) -> dict[str, Any]:
    return {"reasons": [{"code": code, "text": text} for code, text in found]}


def tax_lines(parts: Iterable[Taxed]) -> tuple[TaxLine, ...]:
    """Base and tax of each place, name, rate and treatment, in the order in which lines name them, delivery last."""
    sums: dict[int, tuple[Ruling, list[int], list[int]]] = {}
    for part in parts:
        key = id(part.ruling)
        found = sums.get(key)
        if found is None:
            found = sums[key] = (part.ruling, [0], [0] * len(part.ruling.levies))
        found[1][0] += part.total - part.tax
        for which, tax in enumerate(part.taxes):
            found[2][which] += tax
    merged: dict[tuple[Any, ...], TaxLine] = {}
    for rule, (base,), taxes in sums.values():
        rows = [(levy.place, levy.name, levy.rate.rate) for levy in rule.levies] or [(rule.place, NO_TAX, Decimal(0))]
        for (place, name, rate), amount in zip(rows, taxes or [0], strict=True):
            mark = (place, name, rate, rule.treatment)
            known = merged.get(mark)
            before = (known.base, known.amount) if known else (0, 0)
            reason = known.reason if known else rule.reason
            merged[mark] = TaxLine(*mark, reason, before[0] + base, before[1] + amount)
    return tuple(merged.values())
