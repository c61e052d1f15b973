"""The work order: the stages of the job, in the order in which it is done, and how each of them stands."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from skurrow.core.edition import Edition

StageState = Literal["not_begun", "in_work", "ready", "attention", "later"]


@dataclass(frozen=True, slots=True)
class Stage:
    """A stage: `words` says how it stands in a few words, `attention` counts what has to be looked at."""

    stage: str
    state: StageState
    words: str
    attention: int = 0


def work_order(
    edition: Edition,
    connected_modes: Collection[str],
    sold_in: Collection[str],
    differing: int = 0,
    disputed: int = 0,
    held: int = 0,
    asked_back: int = 0,
    aside: int = 0,
    unpaid: Sequence[str] = (),
    not_paid_out: Sequence[str] = (),
) -> list[Stage]:
    """How the eight stages stand for a draft, the modes of its connected gateways, and the books that have orders: with
    how many gateways the books differ, how many charges are disputed, how many orders are held for a person, how
    often buyers have asked something back, how many transfers are set aside, which currencies are `unpaid`, since no
    connected gateway takes them, and which gateways take real money that is `not_paid_out` yet."""
    products, checkouts = len(edition.site.products), len(edition.site.checkouts)
    sellable = products > 0 and checkouts > 0
    return [
        Stage("products", "ready" if products else "not_begun", _count(products, "product")),
        _payments(connected_modes, differing, unpaid, not_paid_out),
        _tax_and_delivery(edition),
        Stage("checkouts", _begun(checkouts, sellable), _count(checkouts, "checkout")),
        Stage("on-the-site", _begun(checkouts, bool(sold_in)), _SOLD[_book(sold_in)]),
        Stage("routes", "later", "not built yet"),
        Stage("rehearsals", "later", "not built yet"),
        _orders(sold_in, {"dispute": disputed, "held order": held, "return request": asked_back, "transfer": aside}),
    ]


def _tax_and_delivery(edition: Edition) -> Stage:
    tax, home = edition.site.tax, edition.site.site.country
    if tax.exempt is not None:
        words = "no tax charged"
    else:
        abroad = [one.scheme or one.place for one in tax.registrations if one.place != home]
        words = f"{home} and {len(abroad)} more" if abroad else f"{home} only"
    sends = bool(edition.zones.all)
    goods = any(product.kind == "goods" for product in edition.site.products)
    words += ", parcels" if sends else ", nothing sent" if goods else ""
    return Stage("tax-and-delivery", "ready" if sends or not goods else "in_work", words)


_SOLD = {"live": "bought from", "test": "test sales only", "": "no sale yet"}


def _book(sold_in: Collection[str]) -> str:
    return "live" if "live" in sold_in else "test" if sold_in else ""


def _orders(sold_in: Collection[str], counts: Mapping[str, int]) -> Stage:
    told = [_count(count, name) for name, count in counts.items() if count]
    if told:
        return Stage("orders", "attention", ", ".join(told), sum(counts.values()))
    words = {"live": "from real buyers", "test": "test sales only", "": "none yet"}[_book(sold_in)]
    return Stage("orders", "in_work" if sold_in else "not_begun", words)


def _payments(modes: Collection[str], differing: int, unpaid: Sequence[str], not_paid_out: Sequence[str]) -> Stage:
    if differing:
        return Stage("payments", "attention", "the books differ", differing)
    if "test" not in modes:
        return Stage("payments", "attention" if not modes else "in_work", "connect a gateway", 1)
    if unpaid:
        more = f" and {len(unpaid) - 2} more" if len(unpaid) > 2 else ""
        return Stage("payments", "attention", f"no gateway takes {', '.join(unpaid[:2])}{more}", len(unpaid))
    if not_paid_out:
        return Stage("payments", "attention", f"{not_paid_out[0]} pays nothing out yet", len(not_paid_out))
    return Stage("payments", "ready" if "live" in modes else "in_work", _connected(modes))


def _connected(modes: Collection[str]) -> str:
    return "test and live" if "live" in modes else "test connected"


def _begun(count: int, ready: bool) -> StageState:
    if count == 0:
        return "not_begun"
    return "ready" if ready else "in_work"


def _count(count: int, name: str) -> str:
    return "none yet" if count == 0 else f"{count} {name}{'' if count == 1 else 's'}"
