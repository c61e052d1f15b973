"""Tapes by the calendar of their book, for buyers of all kinds; and the page after paying, without paying."""

from __future__ import annotations

from datetime import date

import psycopg
import pytest
from psycopg import sql

from skurrow.core.durations import day_words
from skurrow.core.money import format_amount
from skurrow.core.order import Buyer
from skurrow.service import calendars
from skurrow.service.counter import opening, pricing
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.draft import configuration
from skurrow.service.payments import gateways
from skurrow.service.refusals import NotFound
from skurrow.service.tape.confirmation_previews import after_paying, paper_after_paying, waiting_ways
from skurrow.service.tape.tapes import MadeOutTo, Tapes, Tried, tapes
from tests.conftest import Shop
from tests.service.living import edit, move, noon, own_cards, start_on

cards = own_cards


async def made(shop: Shop, about: tuple[str, str]) -> Tapes:
    found = await tapes(shop.context, shop.site_id, about, Tried(), [MadeOutTo("utrecht")], None)
    assert found is not None
    return found


async def test_after_a_month_the_first_charge_beside_is_the_day_of_the_tape(shop: Shop) -> None:
    await start_on(shop, date(2027, 1, 10))
    for day in (date(2027, 1, 10), date(2027, 2, 11)):
        if day > date(2027, 1, 10):
            await move(shop, to=noon(day))
        found = await made(shop, ("product", "paper-parcel"))
        assert found.tapes[0].on == day
        # The counter asks by itself, in one statement, and must come to the same day.
        assert (await calendars.of_site(shop.context, shop.site_id, "test")).book_now().date() == day
        assert await calendars.of_site(shop.context, shop.site_id, "live") is shop.context
        assert found.beside.futures["parcel-month"].days[0][0] == day_words(day)


async def test_a_coupon_that_is_over_in_the_test_book_takes_nothing_off_there(shop: Shop) -> None:
    await start_on(shop, date(2027, 12, 1))
    assert [one.why_not for one in (await made(shop, ("coupon", "BIND10"))).beside.costs] == [None]
    await move(shop, to=noon(date(2028, 1, 2)))
    (cost,) = (await made(shop, ("coupon", "BIND10"))).beside.costs
    assert (cost.first, cost.year) == (0, 0)
    assert cost.why_not


async def test_who_has_bought_before_meets_at_the_counter_what_their_tape_shows(shop: Shop) -> None:
    await edit(shop, "coupon", "WELCOME", id="WELCOME", percent="10", customer="new", automatic=True)
    for who, due in (("utrecht", "71.10"), ("returning", "79.00")):
        found = await tapes(shop.context, shop.site_id, ("checkout", "marbling"), Tried(), [MadeOutTo(who)], None)
        assert found is not None
        assert [row.amount for row in found.tapes[0].tape.rows if row.kind == "due"] == [due]
        buyer = found.edition.stand_in_buyers[who]
        token = opening.preview_token(shop.context, shop.site_id, "marbling", buyer)
        visit = read_visit(shop.context, (await opening.open_preview(shop.context, token)).visit)
        priced = await pricing.quote_visit(shop.context, visit, Buyer(country="NL"), Choice(), buyer.email)
        assert format_amount(priced.quote.due_today, "EUR") == due


async def test_a_way_to_pay_is_named_on_the_tape_and_chosen_at_the_counter(shop: Shop) -> None:
    found = await tapes(shop.context, shop.site_id, ("checkout", "kit"), Tried(), [MadeOutTo("wallet")], None)
    assert found is not None
    (one,) = found.tapes
    assert one.way == "Stand-in Wallet"
    assert any("They cannot pay with" in note for note in one.tape.notes), "only cards are connected here"
    token = opening.preview_token(shop.context, shop.site_id, "kit", one.buyer)
    filled = (await opening.open_preview(shop.context, token)).filled
    assert filled is not None
    assert filled.way == "standin-wallet"


async def test_the_page_after_paying_is_of_an_invented_sale_and_leaves_nothing(shop: Shop) -> None:
    state = await configuration.draft(shop.context, shop.site_id)
    for way in ("transfer", "invoice", "collection"):
        credentials = shop.cards.installation.test_gateways()[way]
        await gateways.connect(shop.context, shop.site_id, way, "test", credentials)
    assert [one.gateway for one in await waiting_ways(shop.context, shop.site_id, "kit")] == [
        "transfer",
        "invoice",
        "collection",
    ]
    token = opening.preview_token(shop.context, shop.site_id, "kit", state.edition.stand_in_buyers["london"])
    page, mine = await after_paying(shop.context, token)
    assert (page.order.state, page.order.currency, page.awaited, mine.name) == ("paid", "GBP", None, "Alma Whitlow")
    assert [one.kind for one in page.papers] == ["receipt"]
    _, paper = await paper_after_paying(shop.context, token)
    assert (paper.total, paper.number[:5]) == (format_amount(page.order.total, "GBP"), "TEST-")
    token = opening.preview_token(shop.context, shop.site_id, "kit", state.edition.stand_in_buyers["utrecht"])
    for way in ("transfer", "invoice", "collection"):
        page, mine = await after_paying(shop.context, token, way)
        assert page.awaited is not None
        assert (page.order.state, page.awaited.gateway, mine.papers) == ("waiting", way, [])
        assert page.awaited.due_on is not None
        assert (page.awaited.transfer is not None) == (way == "transfer")
    for wrong in ("standin-cards", "nothing"):
        with pytest.raises(NotFound):
            await after_paying(shop.context, token, wrong)
    with pytest.raises(NotFound):
        await after_paying(shop.context, token[:-2])
    with psycopg.connect(shop.database.superuser) as db:
        for table in ("orders", "papers", "mails", "number_series"):
            assert db.execute(sql.SQL("select 1 from {}").format(sql.Identifier(table))).fetchall() == []
