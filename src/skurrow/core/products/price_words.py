"""A price in a few words, as lists and comparisons show it."""

from __future__ import annotations

from skurrow.core.durations import duration_words, length_words
from skurrow.core.edition import PricedProduct
from skurrow.core.money import format_amount


def price_words(priced: PricedProduct, currency: str) -> str:
    """Amount and rhythm: "EUR 48.00 once", "EUR 24.00 every month, after 14 days free"."""
    if priced.rhythm.kind == "free":
        return "free"
    amount = f"{currency} {format_amount(priced.amounts[currency], currency)}"
    if priced.chosen is not None:
        amount = f"from {currency} {format_amount(priced.chosen.minimum[currency], currency)}"
    start = start_words(priced, currency)
    if priced.rhythm.kind == "instalments":
        words = f"{rhythm_words(priced)}, {amount} each"
    else:
        words = f"{amount} {rhythm_words(priced)}"
    return f"{words}, after {start}" if start else words


def rhythm_words(priced: PricedProduct) -> str:
    """When a price is charged, in a few words: "once", "every month", "4 payments, one a month"."""
    rhythm = priced.rhythm
    if rhythm.kind == "recurring":
        return f"every {duration_words(rhythm.every)}"
    if rhythm.kind == "instalments":
        again = f", again every {duration_words(rhythm.again)}" if rhythm.again else ""
        return f"{rhythm.first_set} payments, one every {duration_words(rhythm.every)}{again}"
    return rhythm.kind


def start_words(priced: PricedProduct, currency: str) -> str | None:
    """What comes before the regular rhythm: "14 days free", "6.00 for 1 month"."""
    rhythm = priced.rhythm
    if rhythm.free:
        return f"{length_words(rhythm.start)} free"
    if rhythm.starts:
        times = "" if rhythm.starts == 1 else f", {rhythm.starts} times"
        return f"{format_amount(priced.starts[currency], currency)} for {length_words(rhythm.start)}{times}"
    return None
