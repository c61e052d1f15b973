"""Why amounts are what they are, as codes with sentences: of a line today, and of a later charge."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal
from typing import Protocol

from skurrow.core.durations import day_words, duration_words, length_words
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import amount_writer
from skurrow.core.order import Item
from skurrow.core.quote.charges import DayCharge, DueLine
from skurrow.core.quote.discounts import Charged, Cuts, Discount
from skurrow.core.rhythm import ENDLESS
from skurrow.core.words import sentence, sentence_of

Reason = tuple[str, str]
"""A code, and its sentence."""

_OWN: dict[str, Reason] = {}


class Named(Protocol):
    """A line by its name, with its charges."""

    @property
    def name(self) -> str:
        """What buyers read."""

    @property
    def charged(self) -> Charged:
        """Its charges."""


def line_reasons(
    edition: Edition, line: int, item: Item, charged: Charged, currency: str, discounts: Sequence[Discount], cuts: Cuts
) -> tuple[Reason, ...]:
    """Why a line, by its number, costs today what it does."""
    priced, money = charged.priced, amount_writer(currency)
    rhythm = priced.rhythm
    found: list[Reason] = []
    if rhythm.kind == "free":
        return (_reason("free_price"),)
    if not charged.today:
        if rhythm.free:
            found.append(_reason("free_start", length=length_words(rhythm.start), day=_first_day(charged)))
        else:
            found.append(_reason("at_release", day=_first_day(charged)))
    elif rhythm.starts:
        found.append(_reason("first_payment", times=_times(rhythm.starts), length=length_words(rhythm.start)))
        found.append(amount_reason(edition, priced, item.variant, currency, start=True))
    elif priced.chosen is not None:
        found.append(_reason("chosen_amount"))
    else:
        found.append(amount_reason(edition, priced, item.variant, currency))
    if item.quantity > 1 and charged.today:
        total = charged.amount(0)
        unit = money(total // item.quantity)
        found.append(_reason("times", quantity=str(item.quantity), unit=unit, total=money(total)))
    found += [_cut_reason(discounts[k], line, cut, 0, currency) for k, cut in cuts]
    return tuple(found)


def amount_reason(
    edition: Edition, priced: PricedProduct, variant: str | None, currency: str, start: bool = False
) -> Reason:
    """Where the amount of one piece comes from: written by the owner, or converted step by step."""
    written, amount = priced.price.amount or {}, priced.amounts[currency]
    if start and priced.price.start is not None:
        written, amount = priced.price.start.amount or {}, priced.starts[currency]
    elif variant is not None:
        own = next((one.amount for one in priced.product.variants if one.id == variant), None)
        amount = priced.variants[variant][currency]
        written = own or written
    if currency in written:
        return _OWN.get(currency) or _OWN.setdefault(currency, _reason("own_amount", currency=currency))
    known = next(one for one in edition.site.currencies if one.code == currency)
    base = edition.base
    plain = Decimal(written[base]) * (known.rate or 0)
    steps = sentence("converted_step", base=base, amount=written[base], rate=str(known.rate))
    steps += f" = {plain.normalize():f}"
    if known.round_to is not None:
        steps += sentence("rounded_step", to=str(known.round_to))
    if known.less:
        steps += sentence("less_step", less=str(known.less))
    return "converted_amount", f"{steps}, {currency} {amount_writer(currency)(amount)}."


def day_reasons(lines: Sequence[Named], discounts: Sequence[Discount], day: DayCharge, currency: str) -> list[Reason]:
    """Why a later charge is what it is: one for each line due, one for each discount; what is alike is said once."""
    found: list[Reason] = []
    for part in day.due:
        line = lines[part.line]
        found.append(_charge_reason(line.name, line.charged, part, currency))
        found += [_cut_reason(discounts[k], part.line, cut, part.n, currency) for k, cut in part.cuts]
    if day.sent is not None:
        amount = amount_writer(currency)(day.sent.amount)
        found.append(_reason("later_delivery", method=day.sent.method.method.name, amount=amount))
    return list(dict.fromkeys(found))


def plan_words(name: str, charged: Charged, currency: str) -> list[str]:
    """What a line is charged over time, in sentences that a buyer cannot misread; nothing for what is paid once."""
    rhythm, money = charged.priced.rhythm, amount_writer(currency)
    each = f"{currency} {money(charged.regular)}"
    first = rhythm.day(charged.counted_from, rhythm.starts)
    if rhythm.kind == "recurring" and first is not None:
        words = {"name": name, "each": each, "every": duration_words(rhythm.every), "day": day_words(first)}
        if rhythm.free:
            return [_reason("plan_free", **words)[1]]
        if rhythm.starts:
            start = f"{currency} {money(charged.start)}"
            return [
                sentence("plan_start", **words, start=start, length=length_words(rhythm.start.times(rhythm.starts)))
            ]
        return [_reason("plan_recurring", **words)[1]]
    if rhythm.kind == "instalments":
        last = rhythm.day(charged.counted_from, rhythm.first_set - 1)
        whole = rhythm.starts * charged.start + rhythm.payments * charged.regular
        words = {"name": name, "n": str(rhythm.first_set), "each": each, "whole": f"{currency} {money(whole)}"}
        code = "plan_instalments_start" if rhythm.starts else "plan_instalments"
        start = f"{currency} {money(charged.start)}"
        found = [_reason(code, **words, start=start, day=day_words(last) if last else "")[1]]
        if rhythm.again is not None:
            found.append(_reason("plan_again", every=duration_words(rhythm.again))[1])
        return found
    return []


def _charge_reason(name: str, charged: Charged, part: DueLine, currency: str) -> Reason:
    rhythm = charged.priced.rhythm
    amount = amount_writer(currency)(part.subtotal)
    if rhythm.kind == "once":
        return _reason("later_release", name=name, amount=amount)
    if part.n < rhythm.starts:
        return _reason("later_start", name=name, amount=amount, n=str(part.n + 1), of=str(rhythm.starts))
    if rhythm.kind == "recurring":
        return _reason("later_recurring", name=name, amount=amount, every=duration_words(rhythm.every))
    regular = part.n - rhythm.starts
    if regular >= rhythm.payments:
        n, of = regular % rhythm.payments + 1, rhythm.payments
        return _reason("later_again", name=name, amount=amount, n=str(n), of=str(of))
    return _reason("later_payment", name=name, amount=amount, n=str(part.n + 1), of=str(rhythm.first_set))


def _cut_reason(discount: Discount, line: int, cut: int, n: int, currency: str) -> Reason:
    span = discount.spans[line]
    words = {"label": discount.label, "words": discount.words, "amount": amount_writer(currency)(cut)}
    if span == 1:
        return _reason("discount", **words)
    if span == ENDLESS:
        return _reason("discount_always", **words)
    return _reason("discount_some", **words, n=str(n + 1), of=str(span))


def _first_day(charged: Charged) -> str:
    day = charged.priced.rhythm.day(charged.counted_from, 0)
    return day_words(day) if day else ""


def _times(n: int) -> str:
    return "" if n == 1 else f"{n} times, each for "


def _reason(code: str, **parameters: str) -> Reason:
    return code, sentence_of(code, tuple(parameters.items()))
