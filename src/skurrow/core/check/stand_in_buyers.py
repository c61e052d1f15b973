"""Checking stand-in buyers."""

from __future__ import annotations

from collections.abc import Iterator

from skurrow.core.check.known import repeated
from skurrow.core.problems import Path, Problem
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.site.whole import SiteFile


def stand_in_buyers_problems(site: SiteFile) -> Iterator[Problem]:
    ids = [(("stand_in_buyers", i, "id"), buyer.id) for i, buyer in enumerate(site.stand_in_buyers)]
    yield from repeated(list(ids), "stand-in buyer")
    for i, buyer in enumerate(site.stand_in_buyers):
        yield from stand_in_buyer_problems(site, buyer, ("stand_in_buyers", i))


def stand_in_buyer_problems(site: SiteFile, buyer: StandInBuyer, path: Path) -> Iterator[Problem]:
    """What is wrong with a stand-in buyer on a site."""
    if all(buyer.currency != currency.code for currency in site.currencies):
        sold = ", ".join(currency.code for currency in site.currencies)
        message = f"The site does not sell in {buyer.currency}"
        yield Problem((*path, "currency"), message, f"Choose one of {sold}, or add {buyer.currency} to currencies")
