"""Bank transfers: the reference that buyers write on them, and which order an incoming one is for.

References follow ISO 11649: `RF`, two check digits (ISO 7064 MOD 97-10), and up to 21 letters and digits.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from stdnum import iso11649
from stdnum.iso7064 import mod_97_10

Aside = Literal["under", "over", "double", "unknown", "late", "currency"]
"""Why a person has to look at a transfer. `double`: its order is paid already. `late`: it was given up."""


def rf_reference(code: str) -> str:
    """The reference of an order, by its code of letters and digits.

    >>> rf_reference("539007547034")
    'RF18539007547034'
    """
    return f"RF{mod_97_10.calc_check_digits(code + 'RF')}{code}"


def spaced(text: str) -> str:
    """A reference or account number in groups of four, as people read it."""
    return " ".join(re.findall(".{1,4}", text))


def codes_in(text: str, length: int) -> list[str]:
    """The order codes of `length` whose references stand in a text, however they were spaced, each with right check
    digits; and codes that stand in it by themselves."""
    found: list[str] = []
    upper = text.upper()
    for match in re.finditer(r"R\s*F\s*[0-9]\s*[0-9]", upper):
        rest = re.sub(r"[^A-Z0-9]", "", upper[match.start() :])[: 4 + length]
        if len(rest) == 4 + length and iso11649.is_valid(rest):
            found.append(rest[4:])
    found += re.findall(rf"(?<![A-Z0-9])[A-Z0-9]{{{length}}}(?![A-Z0-9])", upper)
    return list(dict.fromkeys(found))


@dataclass(frozen=True, slots=True)
class Incoming:
    """Money that has come in: minor units of a currency, and whatever the payer has written."""

    amount: int
    currency: str
    text: str


@dataclass(frozen=True, slots=True)
class Expected:
    """An order that a transfer may be for: how much is waited for (`state` waiting), was paid, or was given up; and
    how much came in for it before that was not enough."""

    code: str
    amount: int
    currency: str
    state: Literal["waiting", "paid", "given_up"]
    before: int = 0


@dataclass(frozen=True, slots=True)
class Matched:
    """What a transfer is: the payment of an order (no `aside`), alone or with what came before; or set aside."""

    code: str | None
    aside: Aside | None


def match(incoming: Incoming, expected: Mapping[str, Expected], codes: Sequence[str]) -> Matched:
    """Which of the orders whose `codes` stand in its text a transfer pays.

    An exact amount settles it, also together with earlier ones that were too little. Anything else is for a person.
    """
    named = [expected[code] for code in codes if code in expected]
    if not named:
        return Matched(None, "unknown")
    waiting = [one for one in named if one.state == "waiting"]
    for one in waiting:
        if incoming.currency == one.currency and incoming.amount + one.before == one.amount:
            return Matched(one.code, None)
    first = (waiting or named)[0]
    if first.state == "paid":
        return Matched(first.code, "double")
    if first.state == "given_up":
        return Matched(first.code, "late")
    if incoming.currency != first.currency:
        return Matched(first.code, "currency")
    return Matched(first.code, "under" if incoming.amount + first.before < first.amount else "over")
