"""Money as whole minor units of an ISO 4217 currency, never a float.

Minor units are pinned in data/currencies.json (ISO 4217 list one). Rounding is half up, away from zero.

>>> parse_amount("48.00", "EUR"), parse_amount("8160", "JPY"), parse_amount("1.5", "KWD")
(4800, 8160, 1500)
>>> format_amount(4800, "EUR"), format_amount(8160, "JPY"), format_amount(-5, "KWD")
('48.00', '8160', '-0.005')
>>> included_tax(4800, Decimal("0.21"))
833
>>> share(100, [1, 1, 1])
[34, 33, 33]
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Sequence
from decimal import Decimal
from fractions import Fraction
from functools import cache, lru_cache
from importlib.resources import files

MINOR_UNITS: dict[str, int] = json.loads(
    files("skurrow.core").joinpath("data/currencies.json").read_text(encoding="utf-8")
)["minor_units"]

LARGEST = 9_999_999_999
"""No unit price, line or total exceeds this many minor units."""

_AMOUNT = re.compile(r"(0|[1-9][0-9]*)(?:\.([0-9]+))?")


_LONGEST = 24
"""Characters of an amount; what is longer is not looked at."""


class AmountError(ValueError):
    """The text is no amount of the currency; the message says what is wrong and what to write."""


def parse_amount(text: str, currency: str) -> int:
    """Minor units of a decimal text such as "48.00"; raises AmountError for anything that is not exact."""
    digits = MINOR_UNITS[currency]
    match = _AMOUNT.fullmatch(text) if len(text) <= _LONGEST else None
    if match is None:
        example = format_amount(4800, currency)
        raise AmountError(f'"{text[:_LONGEST]}" is not an amount; write digits, as in "{example}"')
    whole, decimals = match[1], match[2] or ""
    if len(decimals) > digits:
        raise AmountError(f"{currency} has {digits} decimals, {text} has {len(decimals)}; write fewer")
    minor: int = int(whole) * 10**digits + int(decimals.ljust(digits, "0") or "0")
    if minor > LARGEST:
        raise AmountError(f"{text} is above the largest amount, {format_amount(LARGEST, currency)} {currency}")
    return minor


def format_amount(minor: int, currency: str) -> str:
    """The amount in plain digits with exactly the currency's decimals, as JSON and YAML carry it."""
    return amount_writer(currency)(minor)


@cache
def amount_writer(currency: str) -> Callable[[int], str]:
    """The same for many amounts of one currency."""
    digits = MINOR_UNITS[currency]
    if digits == 0:
        return str
    unit: int = 10**digits
    decimals = [f".{part:0{digits}}" for part in range(unit)]

    def write(minor: int) -> str:
        if minor < 0:
            return "-" + write(-minor)
        return str(minor // unit) + decimals[minor % unit]

    return write


def divide_half_up(numerator: int, denominator: int) -> int:
    """`numerator / denominator` to the nearest whole number, halves away from zero; denominator above 0."""
    quotient = (2 * abs(numerator) + denominator) // (2 * denominator)
    return quotient if numerator >= 0 else -quotient


def included_tax(total: int, rate: Decimal) -> int:
    """The tax contained in `total` minor units at `rate` ("0.21"): round(total × rate / (1 + rate))."""
    numerator, denominator = _ratio(rate)
    return divide_half_up(total * numerator, denominator + numerator)


@lru_cache(maxsize=1024)
def _ratio(rate: Decimal) -> tuple[int, int]:
    return rate.as_integer_ratio()


def convert(minor: int, base: str, currency: str, rate: Decimal, round_to: Decimal | None, less: Decimal) -> int:
    """A base amount in another currency: `amount × rate`, to the nearest `round_to`, minus `less`.

    `rate` is units for one of the base. If nothing is left, to the minor unit without both, at least one
    unit; zero stays zero.

    >>> convert(4800, "EUR", "USD", Decimal("1.08"), Decimal(1), Decimal("0.05"))
    5195
    """
    if minor == 0:
        return 0
    units = Fraction(minor, 10 ** MINOR_UNITS[base]) * Fraction(rate)
    one = 10 ** MINOR_UNITS[currency]
    if round_to is not None:
        step = Fraction(round_to)
        steps = units / step
        rounded = divide_half_up(steps.numerator, steps.denominator) * step
    else:
        rounded = units
    result = (rounded - Fraction(less)) * one
    converted = divide_half_up(result.numerator, result.denominator)
    if converted > 0:
        return converted
    plain = units * one
    return max(1, divide_half_up(plain.numerator, plain.denominator))


def share(amount: int, weights: Sequence[int]) -> list[int]:
    """Shares a non-negative `amount` in proportion to `weights`, by largest remainder, ties to the earlier.

    The shares add up to `amount`; a weight of zero gets nothing. Weights must not all be zero.
    """
    whole = sum(weights)
    parts = [amount * weight // whole for weight in weights]
    by_remainder = sorted(range(len(weights)), key=lambda i: (-(amount * weights[i] % whole), i))
    for i in by_remainder[: amount - sum(parts)]:
        parts[i] += 1
    return parts
