"""Checking a site as a whole: all that is wrong at once, each with its path and its remedy.

Three passes: names of the contract that this version does not compute yet; shape and form of every value
(the models of `skurrow.core.site.site`); how the parts fit together.
"""

from __future__ import annotations

import copy
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from skurrow.core.check.checkouts import checkouts_problems
from skurrow.core.check.coupons import coupons_problems
from skurrow.core.check.delivery import delivery_problems
from skurrow.core.check.known import repeated
from skurrow.core.check.mails import mails_problems
from skurrow.core.check.papers import papers_problems
from skurrow.core.check.payments import payments_problems
from skurrow.core.check.products import products_problems
from skurrow.core.check.stand_in_buyers import stand_in_buyers_problems
from skurrow.core.check.subscriptions import subscriptions_problems
from skurrow.core.check.tax import tax_problems
from skurrow.core.problems import InvalidInput, Path, Problem, problems_of
from skurrow.core.site import file as site_file
from skurrow.core.site.known_names import KNOWN_NAMES
from skurrow.core.site.whole import SiteFile

_NOT_YET: dict[tuple[str, ...], str] = {
    ("products", "*", "page"): "product pages",
}
_HARMLESS: dict[str | int, Any] = {
    "format": "skurrow-site/1",
    "id": "mended",
    "name": "mended",
    "url": "https://mended.invalid",
    "country": "NL",
    "held_in": None,
    "time_zone": "UTC",
    "rate": "1",
    "kind": "digital",
    "amount": {"EUR": "1"},
    "every": "P1M",
    "again": None,
    "start": None,
    "percent": "10",
    "renewals": None,
    "from": None,
    "until": None,
    "available_from": None,
    "stock": None,
    "picture": None,
    "quantity": None,
}


def check_text(text: str) -> SiteFile:
    """A site file from its text. Raises InvalidInput with every problem, each with its line."""
    return read_and_check(text)[0]


def read_and_check(text: str) -> tuple[SiteFile, dict[str, Any]]:
    """The same, with the plain data that stands in the text."""
    source = site_file.read(text)
    if source.data is None:
        raise InvalidInput(source.problems)
    try:
        checked = check_data(source.data)
    except InvalidInput as error:
        found = source.problems + error.problems
        located = [replace(p, line=p.line or source.line_of(p.path)) for p in found]
        raise InvalidInput(sorted(located, key=lambda p: (p.line or 0, p.where))) from None
    if source.problems:
        raise InvalidInput(source.problems)
    return checked, source.data


def check_data(data: Any) -> SiteFile:
    """A site from plain data, as JSON or YAML gives it. Raises InvalidInput with every problem."""
    if not isinstance(data, dict):
        raise InvalidInput([Problem((), "A site file is a mapping of names", "Begin with format: skurrow-site/1")])
    problems, computable = without_not_yet(data)
    try:
        site = SiteFile.model_validate(computable)
    except ValidationError as error:
        problems += problems_of(error, KNOWN_NAMES)
        raise InvalidInput(problems + _fitting_problems_despite(error, computable, problems)) from None
    problems += fitting_problems(site)
    if problems:
        raise InvalidInput(problems)
    return site


def fitting_problems(site: SiteFile) -> list[Problem]:
    """What is wrong between parts that are each well formed."""
    return [
        *_currency_problems(site),
        *tax_problems(site),
        *delivery_problems(site),
        *papers_problems(site),
        *mails_problems(site.mails),
        *payments_problems(site),
        *subscriptions_problems(site.subscriptions),
        *products_problems(site),
        *coupons_problems(site),
        *checkouts_problems(site),
        *stand_in_buyers_problems(site),
    ]


def _fitting_problems_despite(error: ValidationError, data: Any, told: list[Problem]) -> list[Problem]:
    """How the parts would fit if their ill-formed values were mended, so that all errors are told at once.

    Values that cannot be used are replaced by harmless ones; whatever is then found about them is left out.
    """
    mended = copy.deepcopy(data)
    for n, entry in enumerate(error.errors(include_url=False, include_context=False)):
        *around, name = entry["loc"]
        owner: Any = mended
        step: Any
        for step in around:
            owner = owner[step] if isinstance(owner, list) or step in owner else {}
        if entry["type"] == "extra_forbidden" and isinstance(owner, dict):
            owner.pop(name, None)
        elif name in _HARMLESS and isinstance(owner, dict):
            owner[name] = f"mended-{n}" if name == "id" else _HARMLESS[name]
        elif isinstance(owner, dict) and around and around[-1] == "amount":
            owner[name] = "1"
    try:
        found = fitting_problems(SiteFile.model_validate(mended))
    except (ValidationError, KeyError, TypeError):
        return []
    paths = {p.path for p in told}
    if ("site", "country") in paths:  # then nothing is known of home
        found = [p for p in found if p.path[0] != "tax"]
    return [p for p in found if not any(p.path[: len(path)] == path for path in paths)]


# -- what is not computed yet -----------------------------------------------------------------------------


def without_not_yet(data: dict[str, Any], within: tuple[str, ...] = ()) -> tuple[list[Problem], dict[str, Any]]:
    """The problems, and the data without what caused them, so that nothing is told twice.

    `within` is where in a site file the data stands, as in ("products", "*").
    """
    problems: list[Problem] = []

    def walk(value: Any, path: Path, pattern: tuple[str, ...]) -> Any:
        if isinstance(value, list):
            return [walk(child, (*path, i), (*pattern, "*")) for i, child in enumerate(value)]
        if not isinstance(value, dict):
            return value
        kept = {}
        for name, child in value.items():
            here = (*pattern, str(name))
            if here in _NOT_YET and child not in (None, [], {}):
                problems.append(_not_yet((*path, name), _NOT_YET[here], "Leave it out for now"))
            elif here in _NOT_YET:
                continue
            else:
                kept[name] = walk(child, (*path, name), here)
        return kept

    return problems, walk(data, (), within)


def _not_yet(path: Path, words: str, remedy: str) -> Problem:
    return Problem(path, f"This version of Skurrow does not compute {words} yet", remedy, code="not_computed_yet")


# -- how the parts fit ------------------------------------------------------------------------------------


def _currency_problems(site: SiteFile) -> Iterator[Problem]:
    codes = [(("currencies", i, "code"), c.code) for i, c in enumerate(site.currencies)]
    yield from repeated(list(codes), "currency")
    base = site.currencies[0]
    if base.rate is not None or base.round_to is not None or base.less:
        yield Problem(
            ("currencies", 0), f"{base.code} is the base currency and is not converted", "Leave only its code"
        )
    for i, currency in enumerate(site.currencies):
        for name in ("rate", "round_to"):
            if getattr(currency, name) == 0:
                yield Problem(("currencies", i, name), "must be more than 0", "Write a larger number")
