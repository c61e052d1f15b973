"""What of a site is known by its id, and ids that are given twice."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Protocol

from skurrow.core.problems import Path, Problem
from skurrow.core.site.products import Price, Product
from skurrow.core.site.whole import SiteFile


class Known(Protocol):
    """A price with its product."""

    @property
    def product(self) -> Product:
        """Whose price it is."""

    @property
    def price(self) -> Price:
        """The price."""


class _Known:
    __slots__ = ("price", "product")

    def __init__(self, product: Product, price: Price) -> None:
        self.product, self.price = product, price


def known_prices(site: SiteFile) -> dict[str, Known]:
    """Every price of a site by its id."""
    return {price.id: _Known(product, price) for product in site.products for price in product.prices}


def repeated(ids: Iterable[tuple[Path, str]], what: str) -> Iterator[Problem]:
    """A problem for each name that has been given before."""
    seen: set[str] = set()
    for path, name in ids:
        if name in seen:
            message = f"Another {what} is already called “{name}”"
            yield Problem(path, message, "Give it a name of its own", "taken")
        seen.add(name)
