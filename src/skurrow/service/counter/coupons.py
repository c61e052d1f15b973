"""Coupons that come by a link or are typed at the counter, and how often somebody may guess."""

from __future__ import annotations

from datetime import date
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.order import QuoteRefused
from skurrow.core.problems import Problem
from skurrow.core.site.checkouts import Checkout
from skurrow.service import limits
from skurrow.service.context import Context
from skurrow.service.counter.visit import Choice, Visit
from skurrow.service.limits import COUPON, COUPON_SITE, COUPON_WORD, FEW


def coupon_called(edition: Edition, typed: str) -> str | None:
    """The coupon that somebody means who typed this: small and capital letters are alike."""
    folded = typed.strip().casefold()
    return next((name for name in edition.coupons if name.casefold() == folded), None)


def coupons_asked(edition: Edition, visit: Visit, choice: Choice) -> list[str]:
    """The coupons of an order: what the link brought, then what was typed. Raises QuoteRefused for an unknown one, and
    where the checkout takes none that are typed."""
    taken = edition.checkouts[visit.checkout_id].coupons
    if choice.coupons and taken != "offered":
        message = "No coupon is typed at this checkout"
        raise QuoteRefused([Problem(("coupons", 0), message, "Leave it out", "not_offered")])
    by_link = visit.coupon is not None and visit.coupon in edition.coupons and taken != "none"
    found = [visit.coupon] if by_link and visit.coupon is not None else []
    problems = []
    for i, typed in enumerate(choice.coupons):
        name = coupon_called(edition, typed)
        if name is None:
            message = f"There is no coupon “{typed.strip()}”"
            problems.append(Problem(("coupons", i), message, "Look at how it is spelt, or leave it out", "unknown"))
        else:
            found.append(name)
    if problems:
        raise QuoteRefused(problems)
    return found


def can_be_typed(edition: Edition, checkout: Checkout, today: date) -> bool:
    """Whether a coupon can be typed at a checkout: its owner offers that, and there is one that is for something sold
    there, and not over yet."""
    if checkout.coupons != "offered":
        return False
    sold = {edition.prices[price].product.id for price in checkout.prices if price in edition.prices}
    return any(
        not one.coupon.automatic
        and (one.only is None or checkout.everyday or not one.only.isdisjoint(sold))
        and (one.coupon.until is None or one.coupon.until >= today)
        for one in edition.coupons.values()
    )


async def coupons_tried(context: Context, edition: Edition, visit: Visit, choice: Choice, address: str) -> list[str]:
    """The same, where wrong ones are counted by address and site, so that nobody finds one by guessing. Raises
    QuoteRefused, also for right ones once too many were wrong."""
    if not choice.coupons:
        return coupons_asked(edition, visit, choice)
    if await _guesses_too_often(context, visit.site_id, address):
        remedy = "Wait ten minutes, or pay without one"
        raise QuoteRefused([Problem(("coupons", 0), "Too many wrong coupons were tried", remedy, "too_many")])
    try:
        return coupons_asked(edition, visit, choice)
    except QuoteRefused:
        for typed in choice.coupons:
            if coupon_called(edition, typed) is None:
                await _note_guess(context, visit.site_id, address, typed)
        raise


async def brought_by(context: Context, site_id: UUID, edition: Edition, coupon: str, address: str) -> str | None:
    """The coupon that a link brings; a wrong one is counted as one that is typed."""
    found = coupon_called(edition, coupon)
    if found is None:
        await _note_guess(context, site_id, address, coupon)
    return None if await _guesses_too_often(context, site_id, address) else found


async def _guesses_too_often(context: Context, site_id: UUID, address: str) -> bool:
    if await limits.is_over(context, COUPON, f"{site_id} {address}"):
        return True
    if not await limits.is_over(context, COUPON_SITE, str(site_id)):
        return False
    return await limits.so_far(context, COUPON, f"{site_id} {address}") >= FEW


async def _note_guess(context: Context, site_id: UUID, address: str, typed: str) -> None:
    """The same word again, as while other fields are typed, is no new guess."""
    word = typed.strip().casefold()
    if await limits.so_far(context, COUPON_WORD, f"{site_id} {address} {word}"):
        return
    await limits.note(
        context,
        (COUPON_WORD, f"{site_id} {address} {word}"),
        (COUPON, f"{site_id} {address}"),
        (COUPON_SITE, str(site_id)),
    )
