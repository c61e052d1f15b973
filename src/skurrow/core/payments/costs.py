"""What a sale costs at a gateway, and what a year of sales does: the sums behind a comparison of gateways.

All amounts are minor units. Shares are rounded half up, once for each charge, as it is charged.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from skurrow.core.money import AmountError, divide_half_up, parse_amount


@dataclass(frozen=True, slots=True)
class Tariff:
    """What a gateway takes: percents of a charge, always (`percent`), for a card of another country (`cross_border`)
    and for another currency than the account's own (`conversion`); a `fixed` part of each charge, a decimal text in its
    currency; and `monthly`, in the account's `own` currency."""

    percent: Decimal
    fixed: str
    cross_border: Decimal
    conversion: Decimal
    monthly: str
    own: str


@dataclass(frozen=True, slots=True)
class Cost:
    """What is taken of one charge, in its currency: `takes` in all, of which by which part."""

    takes: int
    share: int
    fixed: int
    cross_border: int
    conversion: int


def cost(tariff: Tariff, amount: int, currency: str, abroad: bool) -> Cost:
    """What is taken of a charge; `abroad`: the card is of another country than the seller.

    >>> tariff = Tariff(Decimal("2.9"), "0.30", Decimal("1.5"), Decimal("1"), "0", "EUR")
    >>> cost(tariff, 5000, "EUR", abroad=False).takes, cost(tariff, 5000, "USD", abroad=True).takes
    (175, 300)
    """
    try:
        fixed = parse_amount(tariff.fixed, currency)
    except AmountError:  # an amount with decimals for a currency that has none
        fixed = divide_half_up(*Decimal(tariff.fixed).as_integer_ratio())
    share = _share(tariff.percent, amount)
    across = _share(tariff.cross_border, amount) if abroad else 0
    converted = _share(tariff.conversion, amount) if currency != tariff.own else 0
    return Cost(share + fixed + across + converted, share, fixed, across, converted)


def year(one: Cost, charges: int) -> int:
    """What so many such charges cost, in their currency."""
    return one.takes * charges


def monthly_in_a_year(tariff: Tariff) -> int:
    """What twelve months cost, in the account's own currency, whatever is charged."""
    return 12 * parse_amount(tariff.monthly, tariff.own)


def _share(percent: Decimal, amount: int) -> int:
    numerator, denominator = (percent * amount).as_integer_ratio()
    return divide_half_up(numerator, denominator * 100)
