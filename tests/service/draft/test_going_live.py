"""Who meets a site before it is opened, opening it for real buyers, and what that looks at first."""

from __future__ import annotations

import pytest

from skurrow.core.edition import Edition, compile_site
from skurrow.core.problems import InvalidInput
from skurrow.service.counter import opening, selling_states
from skurrow.service.counter.opening import on_this_machine
from skurrow.service.counter.visit import pass_token
from skurrow.service.draft import configuration, going_live, releases
from skurrow.service.payments import gateways
from skurrow.service.refusals import Closed
from skurrow.store.database import run, site_transaction
from tests.conftest import Shop
from tests.core import sites
from tests.service.counter.test_selling import buy_for_real, edit_price, opened, released
from tests.service.living import edit


async def moved_to(shop: Shop, url: str) -> None:
    await edit(shop, "site", "-", url=url)


async def test_before_it_is_opened_only_who_brings_the_test_pass_tries_it(shop: Shop) -> None:
    await moved_to(shop, "https://ostrel.example")
    with pytest.raises(Closed, match="Ostrel Bindery does not sell here yet"):
        await opened(shop)
    assert (await opened(shop, test_pass=pass_token(shop.context, shop.site_id, 0))).mode == "test"
    with pytest.raises(Closed):
        await opened(shop, test_pass=pass_token(shop.context, shop.site_id, 1))


async def test_everybody_may_try_it_where_the_owner_says_so(shop: Shop) -> None:
    await moved_to(shop, "https://ostrel.example")
    await going_live.let_everybody_try(shop.context, shop.site_id, True)
    assert (await opened(shop)).mode == "test"
    await going_live.let_everybody_try(shop.context, shop.site_id, False)
    with pytest.raises(Closed):
        await opened(shop)


async def test_once_it_is_open_it_makes_nobody_a_test_buyer(shop: Shop) -> None:
    await buy_for_real(shop)
    await moved_to(shop, "https://ostrel.example")
    await released(shop)
    await going_live.let_everybody_try(shop.context, shop.site_id, True)
    assert (await opened(shop)).mode == "live"
    await selling_states.set_site(shop.context, shop.site_id, shop.person_id, "closed", "Back on Monday.")
    with pytest.raises(Closed, match="Back on Monday"):
        await opened(shop)
    await selling_states.set_site(shop.context, shop.site_id, shop.person_id, "opened", "")
    assert (await opened(shop)).mode == "live"


@pytest.mark.parametrize(
    ("url", "here"),
    [
        ("http://localhost:8403", True),
        ("http://ostrel.localhost:8403/kits", True),
        ("http://127.0.0.1:8000", True),
        ("http://127.8.0.1", True),
        ("http://[::1]:8000", True),
        ("https://localhost.example", False),
        ("https://ostrel.example", False),
        ("http://192.168.1.7", False),
    ],
)
def test_a_website_on_this_machine_is_told_by_its_address(url: str, here: bool) -> None:
    made: Edition = sites.edition(site={**sites.plain()["site"], "url": url})
    assert on_this_machine(made) is here
    assert compile_site(made.site).site.site.url.startswith(url)


async def test_opening_looks_at_the_release_and_not_at_the_draft(shop: Shop) -> None:
    parts = (await configuration.draft(shop.context, shop.site_id)).parts
    await edit(shop, "papers", "-", street=None, city=None)
    await gateways.connect(shop.context, shop.site_id, "standin-cards", "live", shop.cards.live)
    await released(shop)
    await edit(shop, "papers", "-", **parts["papers", "-"].body)
    found = {one.code: one for one in await going_live.look(shop.context, shop.site_id)}
    assert found["seller"].message == "Invoices and receipts would name the seller without street and city"
    assert found["unreleased"].message.startswith("1 part was edited")
    with pytest.raises(InvalidInput) as refused:
        await going_live.go_live(shop.context, shop.site_id, set(found))
    assert [one.where for one in refused.value.problems] == ["seller"]
    await released(shop)
    assert set(await _codes(shop)) == {"hand_over"}
    await going_live.go_live(shop.context, shop.site_id, {"hand_over"})


async def test_what_nobody_has_seen_hinders_opening(shop: Shop) -> None:
    await gateways.connect(shop.context, shop.site_id, "standin-cards", "live", shop.cards.live)
    await released(shop)
    await edit_price(shop, "52.00")
    with pytest.raises(InvalidInput) as refused:
        await going_live.go_live(shop.context, shop.site_id, {"hand_over"})
    assert [one.where for one in refused.value.problems] == ["unreleased"]
    await going_live.go_live(shop.context, shop.site_id, {"hand_over", "unreleased"})


async def test_a_gateway_that_does_not_pay_out_and_a_rate_of_one_are_said(shop: Shop) -> None:
    await gateways.connect(shop.context, shop.site_id, "standin-cards", "live", shop.cards.live)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await run(db, "update connections set account = jsonb_set(account, '{pays_out}', 'false') where mode = 'live'")
    currencies = (await configuration.draft(shop.context, shop.site_id)).parts["currencies", "-"]
    body = [{**one, "rate": "1"} if one["code"] == "GBP" else one for one in currencies.body]
    await configuration.edit_part(shop.context, shop.site_id, None, "currencies", "-", currencies.change, body)  # type: ignore[arg-type]
    await released(shop)
    assert {"payout", "rate"} <= set(await _codes(shop))
    assert "1 EUR counts as 1 GBP" in [one.message for one in await going_live.look(shop.context, shop.site_id)]


async def _codes(shop: Shop) -> list[str]:
    return [one.code for one in await going_live.look(shop.context, shop.site_id)]


async def test_going_back_says_what_the_draft_would_bring_back_and_takes_it_along_part_by_part(shop: Shop) -> None:
    await released(shop)
    await edit_price(shop, "4.80")
    await edit(shop, "checkout", "kit", heading="Sewn by hand")
    await released(shop)
    await edit(shop, "checkout", "kit", text="Another text")
    looked = await releases.look_through(shop.context, shop.site_id, 1)
    assert {one.part.part_id: one.in_draft for one in looked.parts} == {"coptic-kit": "back", "kit": "edited"}
    await releases.go_back(shop.context, shop.site_id, shop.person_id, 1, 2)
    only = {("product", "coptic-kit")}
    assert await releases.put_draft_back(shop.context, shop.site_id, None, 1, looked.head, only) == 1
    draft = (await configuration.draft(shop.context, shop.site_id)).edition
    assert draft.prices["kit"].amounts["EUR"] == 4800
    assert (draft.checkouts["kit"].heading, draft.checkouts["kit"].text) == ("Sewn by hand", "Another text")
    visit = await opening.open_counter(shop.context, "ostrel-kit")
    assert visit.mode == "test"


async def test_a_price_that_jumps_is_pointed_out_before_the_release(shop: Shop) -> None:
    await released(shop)
    await edit_price(shop, "4.80")
    (words,) = (await releases.look_through(shop.context, shop.site_id)).jumps[:1]
    assert "EUR 48.00 becomes EUR 4.80" in words
