"""Amounts as people and their spreadsheets write them: decimal comma or point, thousands set apart, a sign or code.

Nothing is reckoned: what is read is the same digits as our own form has them. The rules are those of the desk's fields
(`ui/src/kit/format/typedAmounts.ts`).

>>> as_amount("18,50", "EUR"), as_amount("€ 1.234,50", "EUR"), as_amount("1'234.50 CHF", "CHF")
('18.50', '1234.50', '1234.50')
>>> as_amount("eighteen", "EUR")
'eighteen'
"""

from __future__ import annotations

import re

from skurrow.core.money import MINOR_UNITS, AmountError

_SIGNS = {
    "EUR": "€",
    "GBP": "£",
    "USD": "$",
    "JPY": "¥",
    "CHF": "Fr.",
    "SEK": "kr",
    "NOK": "kr",
    "DKK": "kr.",
    "PLN": "zł",
}
_SPACES = re.compile("[\\s\u00a0\u2009\u202f]+")
_FORM = re.compile(r"[0-9.,' ]*[0-9.,]-{0,2}")
_LONGEST = 40


def as_amount(text: str, currency: str) -> str:
    """The amount in plain digits with a point; a text that is no amount as it is, for `parse_amount` to refuse.

    Raises AmountError for one that can be two: `1,234` is a thousand or one and a bit.
    """
    plain = _SPACES.sub(" ", text.strip()).replace("’", "'")
    for sign in (currency, _SIGNS.get(currency, currency)):
        if plain.lower().startswith(sign.lower()):
            plain = plain[len(sign) :].strip()
        elif plain.lower().endswith(sign.lower()):
            plain = plain[: -len(sign)].strip()
    if len(plain) > _LONGEST or not _FORM.fullmatch(plain) or not any(letter.isdigit() for letter in plain):
        return text
    at = max(plain.rfind("."), plain.rfind(","))
    mark = plain[at] if at >= 0 else ""
    if at < 0 or plain.index(mark) < at or " " in plain[at:] or "'" in plain[at:]:
        return _whole(plain) or text
    before, after = plain[:at], plain[at + 1 :]
    whole = _whole(before)
    if whole is None:
        return text
    if not after.strip("-"):
        return whole
    if not after.isdigit():
        return text
    if len(after) == 3 and re.fullmatch(r"[1-9][0-9]{0,2}", before):
        digits = MINOR_UNITS[currency]
        if digits == 0:
            return before + after
        if mark == ".":
            return text
        raise AmountError(f'"{text}" can be {before}{after} or {before}.{after}; write it without the comma')
    return f"{whole}.{after}"


def _whole(text: str) -> str | None:
    """A whole number whose thousands are set apart by one and the same mark, or not at all."""
    mark = next((letter for letter in text if not letter.isdigit()), None)
    if mark is None:
        return text.lstrip("0") or "0"
    first, *groups = text.split(mark)
    fits = re.fullmatch(r"[1-9][0-9]{0,2}", first) and all(len(one) == 3 and one.isdigit() for one in groups)
    return first + "".join(groups) if fits else None
