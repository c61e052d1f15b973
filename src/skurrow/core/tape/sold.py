"""The tape of what was sold: the rows of a quote as its order keeps it, with the reasons that it had on its day.

Nothing is reckoned anew: whatever prices, rates and coupons are by now, it says what the buyer was charged, and why.
"""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from skurrow.core.durations import day_words
from skurrow.core.money import format_amount, parse_amount
from skurrow.core.quote.kept import KeptDiscount, KeptLine, KeptQuote, KeptTax
from skurrow.core.tape.tape import Tape, TapeRow, line_label, tax_label
from skurrow.core.words import sentence


def sold_tape(quote: KeptQuote, currency: str, country: str, day: date, total: int, from_balance: int = 0) -> Tape:
    """The rows of a kept quote; `country` is the seller's, `day` when it was due, `total` what was charged and
    `from_balance` what was paid with what the customer had left, both in minor units. What is missing between these and
    the quote was credited for unused time."""
    rows = [_line_row(line, quote) for line in quote.lines]
    rows += [_discount_row(one, currency) for one in quote.discounts]
    if quote.delivery is not None:
        told = dict.fromkeys(part.taxed.reason.text for part in quote.delivery.parts if part.taxed.reason is not None)
        rows.append(TapeRow("delivery", "delivery", quote.delivery.name, quote.delivery.amount or "", tuple(told)))
    untaxed = parse_amount(quote.untaxed_total, currency)
    if untaxed:
        why = (sentence("untaxed_off"),)
        rows.append(TapeRow("untaxed", "untaxed", f"{country} tax comes off", format_amount(-untaxed, currency), why))
    rows += [_tax_row(tax, quote.tax_included) for tax in quote.taxes]
    due = total + from_balance if quote.due_today is None else parse_amount(quote.due_today, currency)
    for key, label, minor in (
        ("credited", "Unused time, credited", due - from_balance - total),
        ("balance", "From the balance", from_balance),
    ):
        if minor > 0:
            why = (sentence(f"{key}_off"),)
            rows.append(TapeRow(key, "discount", label, format_amount(-minor, currency), why))
    rows.append(TapeRow("due", "due", f"Due on {day_words(day)}", format_amount(total, currency)))
    for n, charge in enumerate(quote.later):
        more = () if charge.tax is None else (sentence("tax_in_it", tax=charge.tax),)
        reasons = (*(reason.text for reason in charge.reasons), *more)
        rows.append(TapeRow(f"later {n}", "later", day_words(charge.on), charge.total, reasons))
    told_already = {reason for row in rows for reason in row.reasons}
    notes = tuple(note.text for note in quote.notes if note.text not in told_already)
    return Tape(currency, tuple(rows), notes, ())


def _line_row(line: KeptLine, quote: KeptQuote) -> TapeRow:
    label = line_label(line.name, line.quantity)
    cut = tuple(f"{discount.name}: " for discount in quote.discounts)
    reasons = tuple(reason.text for reason in line.reasons if not reason.text.startswith(cut))
    return TapeRow(f"line {line.price}", "line", label, line.subtotal or line.total, reasons)


def _discount_row(one: KeptDiscount, currency: str) -> TapeRow:
    off = format_amount(-parse_amount(one.amount, currency), currency)
    why = (sentence("discount_row", words=one.words),) if one.words else ()
    return TapeRow(f"discount {one.coupon}", "discount", one.name, off, why)


def _tax_row(tax: KeptTax, included: bool) -> TapeRow:
    label = tax_label(tax.name, Decimal(tax.rate), tax.place, tax.treatment, included)
    return TapeRow(f"tax {tax.place} {tax.name} {tax.treatment}", "tax", label, tax.amount, (tax.reason.text,))
