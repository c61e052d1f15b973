"""How many pieces of which stock an order needs; a bundle needs those of all that it holds."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from skurrow.core.edition import Edition
from skurrow.core.site.products import Product


class Need(NamedTuple):
    """So many pieces of a stock: of a product or, where each has its own, of a variant ("": of the product).

    `opening` is what the stock begins with when it is touched for the first time.
    """

    product: str
    variant: str
    quantity: int
    opening: int


def needs(edition: Edition, wanted: Iterable[tuple[str, str | None, int]]) -> list[Need]:
    """What prices, each in a variant and so many, need of the counted stocks; sorted by product and variant."""
    found: dict[tuple[str, str], list[int]] = {}
    for price, variant, quantity in wanted:
        _add(edition, price, variant, quantity, found)
    return [Need(*key, *found[key]) for key in sorted(found)]


def stocks_of(product: Product) -> list[tuple[str, int]]:
    """The stocks that are counted for a product, by variant ("": the product's own), with their opening counts."""
    if product.stock is not None:
        return [("", product.stock)]
    return [(variant.id, variant.stock) for variant in product.variants if variant.stock is not None]


def _add(
    edition: Edition, price: str, variant: str | None, quantity: int, found: dict[tuple[str, str], list[int]]
) -> None:
    product = edition.prices[price].product
    for name, opening in stocks_of(product):
        if name in ("", variant):
            found.setdefault((product.id, name), [0, opening])[0] += quantity
    for content in product.contains:
        _add(edition, content.price, content.variant, content.quantity * quantity, found)
