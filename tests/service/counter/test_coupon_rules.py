"""Which coupons a checkout takes: typed ones, those that a link brings, or none but those that come by themselves."""

from __future__ import annotations

import pytest

from skurrow.core.order import Buyer, QuoteRefused
from skurrow.service.counter import opening, pricing
from skurrow.service.counter.opening import Counter
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.draft import configuration
from tests.conftest import Shop
from tests.service.living import edit


async def opened(shop: Shop, rule: str | None = None, checkout: str = "kit", coupon: str | None = None) -> Counter:
    if rule is not None:
        await edit(shop, "checkout", checkout, coupons=rule)
    return await opening.open_counter(shop.context, f"ostrel-{checkout}", coupon=coupon)


async def taken_off(shop: Shop, counter: Counter, *typed: str) -> list[str]:
    visit = read_visit(shop.context, counter.visit)
    choice = Choice(variant="moss", coupons=typed)
    quoted = (await pricing.quote_visit(shop.context, visit, Buyer(country="NL"), choice)).quote
    return [str(one.coupon) for one in quoted.discounts]


@pytest.mark.parametrize(
    ("rule", "field", "linked"), [("offered", True, ["BIND10"]), ("by_link", False, ["BIND10"]), ("none", False, [])]
)
async def test_a_coupon_is_typed_or_brought_as_the_owner_says(
    shop: Shop, rule: str, field: bool, linked: list[str]
) -> None:
    counter = await opened(shop, rule, coupon="bind10")
    assert (counter.coupons, counter.coupon) == (field, linked[0] if linked else None)
    assert await taken_off(shop, counter) == linked
    if field:
        assert await taken_off(shop, await opened(shop), "BIND10") == ["BIND10"]
        return
    with pytest.raises(QuoteRefused) as refused:
        await taken_off(shop, await opened(shop), "BIND10")
    (problem,) = refused.value.problems
    assert (problem.where, problem.code) == ("coupons[0]", "not_offered")


async def test_the_field_is_there_only_where_a_coupon_can_fit(shop: Shop) -> None:
    assert (await opened(shop, checkout="class")).coupons  # FIVER is for everything
    state = await configuration.draft(shop.context, shop.site_id)
    seen = state.parts["coupon", "FIVER"].change
    await configuration.edit_part(shop.context, shop.site_id, None, "coupon", "FIVER", seen, None)
    assert not (await opened(shop, checkout="class")).coupons  # the others are for kits and parcels
    assert (await opened(shop)).coupons
    await edit(shop, "coupon", "BIND10", until="2020-01-01")
    assert not (await opened(shop)).coupons  # over


async def test_the_field_opens_with_the_owners_words(shop: Shop) -> None:
    await edit(shop, "checkout", "kit", coupon_words="From the newsletter?")
    assert (await opened(shop)).checkout.coupon_words == "From the newsletter?"
