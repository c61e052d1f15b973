"""Paying in the buyer's currency: which can be chosen, which a buyer meets, and that all of the order is in it."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import pytest

from skurrow.core.order import Buyer, QuoteRefused
from skurrow.core.payments.refunds import Asked
from skurrow.gateway.protocol import Credentials
from skurrow.run.installation import MERCHANT
from skurrow.service.counter import opening, paying, pricing, returning
from skurrow.service.counter.opening import Counter
from skurrow.service.counter.visit import Choice, Visit, read_visit
from skurrow.service.draft import configuration, going_live, releases
from skurrow.service.orders import refunds
from skurrow.service.papers import papers
from skurrow.service.payments import gateways
from skurrow.service.refusals import Conflict
from tests.conftest import Shop
from tests.payments import payment_of
from tests.service.counter.test_selling import go_live, released, story
from tests.service.living import edit

COLLECT = Choice(variant="moss", delivery="collect")


async def opened(shop: Shop, checkout: str = "kit", **how: Any) -> Counter:
    return await opening.open_counter(shop.context, f"ostrel-{checkout}", **how)


async def only(shop: Shop, gateway: str) -> None:
    """Connects another gateway in place of the one for cards."""
    for row in await gateways.connected(shop.context, shop.site_id):
        await gateways.disconnect(shop.context, shop.site_id, row.id)
    key = shop.cards.installation.test_gateways()[gateway]
    await gateways.connect(shop.context, shop.site_id, gateway, "test", key)


@pytest.mark.parametrize(
    ("how", "met", "asked"),
    [
        ({}, "EUR", False),
        ({"country": "GB"}, "GBP", False),
        ({"country": "JP"}, "JPY", False),
        ({"country": "SE"}, "EUR", False),  # no crowns are sold in
        ({"country": "GB", "currency": "usd"}, "USD", True),
        ({"country": "GB", "currency": "SEK"}, "GBP", False),
        ({"currency": "no currency"}, "EUR", False),
    ],
)
async def test_a_buyer_meets_the_links_currency_else_that_of_their_country(
    shop: Shop, how: dict[str, str], met: str, asked: bool
) -> None:
    counter = await opened(shop, **how)
    assert (counter.currency, counter.asked) == (met, asked)
    assert counter.currencies == ("EUR", "GBP", "USD", "JPY")
    visit = read_visit(shop.context, counter.visit)
    priced = await pricing.quote_visit(shop.context, visit, Buyer(country="GB"), COLLECT)
    assert priced.quote.currency == met


async def test_only_what_a_connected_gateway_takes_can_be_chosen(shop: Shop) -> None:
    await only(shop, "standin-wallet")
    counter = await opened(shop, country="JP")
    assert (counter.currency, counter.currencies) == ("EUR", ("EUR", "GBP", "USD"))
    visit = read_visit(shop.context, counter.visit)
    with pytest.raises(QuoteRefused) as refused:
        await returning.change_currency(shop.context, visit, "JPY")
    (problem,) = refused.value.problems
    assert (problem.where, problem.message) == ("currency", "Nothing can be paid in JPY here")


async def test_the_owner_may_offer_a_way_in_some_currencies_only(shop: Shop) -> None:
    await edit(shop, "payments", "-", ways=[{"gateway": "standin-cards", "currencies": ["GBP", "USD"]}])
    counter = await opened(shop)
    assert (counter.currency, counter.currencies) == ("GBP", ("GBP", "USD"))


async def test_what_is_charged_again_needs_a_gateway_that_can(shop: Shop) -> None:
    await edit(
        shop,
        "payments",
        "-",
        ways=[{"gateway": "standin-cards", "currencies": ["EUR"]}, {"gateway": "standin-wallet"}],
    )
    key = shop.cards.installation.test_gateways()["standin-wallet"]
    await gateways.connect(shop.context, shop.site_id, "standin-wallet", "test", key)
    assert (await opened(shop, "kit")).currencies == ("EUR", "GBP", "USD")
    assert (await opened(shop, "club")).currencies == ("EUR",)  # the wallet cannot charge again


async def test_a_visit_changes_its_currency_and_stays_one_order(shop: Shop) -> None:
    before = read_visit(shop.context, (await opened(shop)).visit)
    counter = await returning.change_currency(shop.context, before, "GBP")
    visit = read_visit(shop.context, counter.visit)
    assert replace(visit, currency=None) == before
    refused = await pressed(shop, before, "48.00", "EUR", "9200246810122406")
    assert refused.state == "refused"
    assert (await pressed(shop, visit, "42.00", "GBP")).state == "paid"
    assert (await pressed(shop, before, "48.00", "EUR")).state == "paid"  # as it is: nothing is charged twice
    told = await story(shop)
    assert [(one.amount, one.currency, one.state) for one in told.attempts] == [
        (4800, "EUR", "refused"),
        (4200, "GBP", "paid"),
    ]
    assert (told.order.total, told.order.currency) == (4200, "GBP")


async def test_an_amount_that_was_shown_in_another_currency_is_not_charged(shop: Shop) -> None:
    visit = read_visit(shop.context, (await opened(shop, currency="GBP")).visit)
    with pytest.raises(Conflict):
        await pressed(shop, visit, "42.00", "EUR")


async def pressed(shop: Shop, visit: Visit, due: str, currency: str, card: str = "9100246810121409"):  # type: ignore[no-untyped-def]
    token = await shop.cards.token(card, visit.mode)
    payment = payment_of("jo@example.org", "Jo", "NL", token, due, COLLECT, currency=currency)
    return await paying.pay(shop.context, visit, payment)


async def test_order_charge_papers_and_refund_of_a_real_buyer_are_in_their_currency(shop: Shop) -> None:
    await released(shop)
    await go_live(shop)
    counter = await opened(shop, country="GB")
    visit = read_visit(shop.context, counter.visit)
    assert (visit.mode, visit.currency) == ("live", "GBP")
    assert (await pressed(shop, visit, "42.00", "GBP")).state == "paid"
    told = await story(shop, "live")
    charges = await shop.cards.charges(shop.cards.live)
    mine = [one for one in charges if one["key"] in {str(attempt.id) for attempt in told.attempts}]
    assert [(one["amount"], one["currency"]) for one in mine] == [("42.00", "GBP")]
    asked = [Asked(0, "12.00")]
    key = shop.context.new_id()
    await refunds.refund(shop.context, shop.site_id, None, "live", told.order.code, key, asked, "12.00")
    found = await papers.of_order(shop.context, shop.site_id, "live", told.order.id)
    assert [(one.currency, one.total) for one in found] == [("GBP", "42.00"), ("GBP", "12.00")]
    assert (await story(shop, "live")).refunds[0].currency == "GBP"


async def test_a_currency_that_no_gateway_takes_is_said_before_anybody_meets_it(shop: Shop) -> None:
    before = await configuration.site_state(shop.context, shop.site_id)
    payments = next(one for one in before.stages if one.stage == "payments")
    assert (payments.state, payments.attention) == ("in_work", 0)
    await only(shop, "standin-debit")
    state = await configuration.site_state(shop.context, shop.site_id)
    payments = next(one for one in state.stages if one.stage == "payments")
    assert (payments.state, payments.words) == ("attention", "no gateway takes GBP, USD and 1 more")
    review = await releases.look_through(shop.context, shop.site_id)
    words = "No gateway that is connected for test takes GBP, USD and JPY, so buyers cannot choose them."
    assert words in review.jumps


async def test_it_is_said_before_a_site_is_opened(shop: Shop) -> None:
    await released(shop)
    debit = Credentials(MERCHANT, shop.cards.secrets.debit_live_key)
    await gateways.connect(shop.context, shop.site_id, "standin-debit", "live", debit)
    found = {one.code: one for one in await going_live.look(shop.context, shop.site_id)}
    assert found["currency"].message == (
        "No gateway that is connected for live takes GBP, USD and JPY, so buyers cannot choose them"
    )
    assert not found["currency"].hinders
