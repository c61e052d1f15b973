"""What subscriptions are expected to bring in: recurring income, the months to come, and churn, each defined here.

- *Recurring income* of a month: what active and failing subscriptions that are not to end are charged, spread over the
  months of their rhythm: 240.00 a year is 20.00 a month. As priced, after coupons that last for ever, without delivery;
  trials, pauses and instalments are not in it. Weeks and days count by the mean month of the Gregorian calendar,
  365.2425 / 12 = 30.436875 days.
- *Expected*: each charge that is to come on its day, as priced, after coupons, without delivery, from all that runs.
- *Churn* of a month: of those that ran when it began, the share that ended in it. A trial runs from its first payment,
  one that is paused still runs, and one that was started again runs anew; instalments are not counted.

>>> recurring_income(Fraction(12), 24000)
2000
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction

from skurrow.core.durations import Duration, later
from skurrow.core.money import divide_half_up
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.terms import Promise, Terms

MEAN_MONTH = Fraction(3652425, 120000)
"""Days."""


def months_of(every: Duration) -> Fraction:
    """How many months a rhythm's period has."""
    return every.months + Fraction(every.days) / MEAN_MONTH


def recurring_income(months: Fraction, amount: int) -> int:
    """What `amount` minor units in so many months come to in one, rounded half up."""
    found = Fraction(amount) / months
    return divide_half_up(found.numerator, found.denominator)


def monthly(life: Life) -> int:
    """What a subscription adds to the recurring income of its currency, in minor units."""
    terms = life.next_terms
    if life.state not in ("active", "failing") or life.ends_on is not None or life.pausing:
        return 0
    if terms.kind != "recurring":
        return 0
    lasting = [one for one in terms.promises if one.charges is None]
    return recurring_income(months_of(terms.length), _after(terms, lasting))


def _after(terms: Terms, promises: Iterable[Promise], amount: int | None = None) -> int:
    left = terms.unit * terms.quantity if amount is None else amount
    for one in promises:
        off = one.part if one.shared else one.amount
        cut = divide_half_up(left * one.ratio[0], one.ratio[1]) if one.ratio is not None else min(off, left)
        left -= cut
    return left


@dataclass
class Outlook:
    """Sums by currency in minor units: `income` a month now, and what is `expected` in each month, by its first day."""

    income: dict[str, int] = field(default_factory=dict)
    expected: dict[date, dict[str, int]] = field(default_factory=dict)
    counted: int = 0

    def add(self, life: Life, today: date, months: int) -> None:
        """Counts a subscription in, for this month and those that follow."""
        currency = life.next_terms.currency
        self.counted += 1
        self.income[currency] = self.income.get(currency, 0) + monthly(life)
        if life.next_on is None:
            return
        last = later(today.replace(day=1), months, 0)
        terms, following = life.next_terms, life.following is not None
        counted_from, first = (life.until, 0) if following else (life.counted_from, life.next)
        used = terms.rhythm
        for n, day in used.days(counted_from, first):
            if day >= last or (life.ends_on is not None and day >= life.ends_on):
                break
            start = terms.start_unit if n < terms.starts else terms.unit
            alive = [one for one in terms.promises if one.charges is None or n < one.charges]
            amount = _after(terms, alive, start * terms.quantity)
            month = max(day, today).replace(day=1)
            sums = self.expected.setdefault(month, {})
            sums[currency] = sums.get(currency, 0) + amount


@dataclass(frozen=True, slots=True)
class Churn:
    """A month: how many ran `before` it, `began` and `ended` in it, and how many, `lost`, had run before."""

    month: date
    before: int
    began: int
    ended: int
    lost: int

    @property
    def share(self) -> str | None:
        """Of those before, the share that ended, as a percentage with one decimal; None where none ran."""
        if not self.before:
            return None
        percent = Decimal(self.lost * 100) / Decimal(self.before)
        return f"{percent.quantize(Decimal('0.1'), ROUND_HALF_UP)}"


def churn(runs: Mapping[tuple[date, date | None], int], months: Iterable[date]) -> list[Churn]:
    """Churn month by month, from how many ran from one month to another (by their first days), ever; those whose other
    month is None run still.

    >>> march, april = date(2027, 3, 1), date(2027, 4, 1)
    >>> churn({(march, None): 3, (march, april): 1, (april, april): 2}, [april])[0].share
    '25.0'
    """
    found = []
    for month in months:
        before = {span: n for span, n in runs.items() if span[0] < month and (span[1] is None or span[1] >= month)}
        began = sum(n for (start, _), n in runs.items() if start == month)
        ended = sum(n for (_, end), n in runs.items() if end == month)
        lost = sum(n for (_, end), n in before.items() if end == month)
        found.append(Churn(month, sum(before.values()), began, ended, lost))
    return found
