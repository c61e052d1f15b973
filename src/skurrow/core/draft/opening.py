"""What would go wrong if a site were opened for real buyers as it was released: what hinders it, what to know first.

The full check of a site comes before that; here is only what a real buyer, or the tax office, would meet at once.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from skurrow.core.edition import Edition


@dataclass(frozen=True, slots=True)
class GatewayStanding:
    """A gateway connected for live, and whether it pays out what it takes."""

    name: str
    pays_out: bool


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that would go wrong: a sentence, what to do, and at which room. `hinders`: the site is not opened with
    it."""

    code: str
    message: str
    remedy: str
    room: str
    hinders: bool


def not_payable(unpaid: Mapping[str, Sequence[str]]) -> list[str]:
    """In sentences, which currencies no gateway of a mode takes: of those for real buyers where there are any.

    >>> not_payable({"live": ["GBP", "JPY"], "test": ["JPY"]})
    ['No gateway that is connected for live takes GBP and JPY, so buyers cannot choose them.']
    """
    mode = "live" if "live" in unpaid else "test"
    left = list(unpaid.get(mode, ()))
    if not left:
        return []
    them = "it" if len(left) == 1 else "them"
    return [f"No gateway that is connected for {mode} takes {_and(left)}, so buyers cannot choose {them}."]


def opening(
    released: Edition | None,
    unreleased: int,
    gateways: Sequence[GatewayStanding],
    unpaid: Mapping[str, Sequence[str]] | None = None,
) -> list[Finding]:
    """What would go wrong with what was `released`, while so many parts are `unreleased` and some of its currencies
    `unpaid` by mode; what hinders comes first."""
    found: list[Finding] = []
    if not gateways:
        found.append(
            Finding("gateway", "No gateway is connected for live", "Connect one under Payments", "payments", True)
        )
    for gateway in gateways:
        if not gateway.pays_out:
            message = f"{gateway.name} takes money and does not pay it out yet"
            remedy = "Finish there what it asks of you, then look again"
            found.append(Finding("payout", message, remedy, "payments", False))
    for words in not_payable({"live": (unpaid or {}).get("live", ())}):
        remedy = "Connect one that does, or take it out under Currencies"
        found.append(Finding("currency", words.rstrip("."), remedy, "currencies", False))
    if released is None:
        found.append(Finding("release", "Nothing has been released", "Make a release first", "release", True))
    else:
        found += _of_release(released)
        if unreleased:
            parts = "1 part was" if unreleased == 1 else f"{unreleased} parts were"
            remedy = "Release them first, unless they are to wait"
            message = f"{parts} edited since the last release, and real buyers do not meet that"
            found.append(Finding("unreleased", message, remedy, "release", False))
    return sorted(found, key=lambda one: not one.hinders)


def _of_release(released: Edition) -> list[Finding]:
    found, site, papers = [], released.site, released.site.papers
    parts = (("street", papers.street), ("postal code", papers.postal_code), ("city", papers.city))
    missing = [name for name, value in parts if not value]
    if missing:
        message = f"Invoices and receipts would name the seller without {_and(missing)}"
        found.append(Finding("seller", message, "Write it under Papers, and release", "papers", True))
    if not any(checkout.prices or checkout.everyday for checkout in site.checkouts):
        found.append(Finding("checkout", "There is no checkout", "Add one, and release", "checkouts", True))
    base = released.base
    for currency in site.currencies[1:]:
        if currency.rate == Decimal(1):
            message = f"1 {base} counts as 1 {currency.code}"
            remedy = "Write the rate under Currencies, unless it is so"
            found.append(Finding("rate", message, remedy, "currencies", False))
    waiting = [one.name for one in site.products if one.kind in ("digital", "event") and not one.contains]
    if waiting:
        more = f" and {len(waiting) - 3} more" if len(waiting) > 3 else ""
        message = f"Skurrow does not hand over yet what is bought: {', '.join(waiting[:3])}{more}"
        found.append(Finding("hand_over", message, "Send it yourself when somebody has paid", "orders", False))
    return found


def _and(names: list[str]) -> str:
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
