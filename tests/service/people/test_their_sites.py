"""Sites added with what is usual there, moved to another country, archived, brought back and deleted."""

from __future__ import annotations

from typing import Any

import pytest

from skurrow.core.countries import COUNTRIES, time_zones
from skurrow.core.money import MINOR_UNITS
from skurrow.core.problems import InvalidInput
from skurrow.service.counter import selling_states
from skurrow.service.draft import configuration, site_files
from skurrow.service.draft.configuration import Edit
from skurrow.service.people import their_sites
from skurrow.service.people.their_sites import NewSite
from skurrow.service.refusals import Closed, Conflict
from skurrow.service.tax import countries
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.people.people import memberships
from tests.conftest import Shop
from tests.service.counter.test_selling import buy_for_real, opened
from tests.service.people.test_people import noor

GHENT = NewSite("Spaak", "https://spaak.example", "BE", "EUR", "Europe/Brussels")


async def added(shop: Shop, wanted: NewSite) -> Any:
    person = await noor(shop)
    code = await their_sites.add(shop.context, person, wanted)
    async with siteless_transaction(shop.context.pool) as db:
        return next(one for one in await memberships(db, person.id) if one.code == code)


def test_what_is_usual_is_known_of_every_country() -> None:
    usual = {one.code: one for one in countries.usual()}
    assert set(usual) == COUNTRIES
    assert {one.currency for one in usual.values()} <= set(MINOR_UNITS)
    assert (usual["BE"].currency, usual["BE"].time_zones) == ("EUR", ("Europe/Brussels",))
    assert (usual["GB"].currency, usual["JP"].currency, usual["CH"].currency) == ("GBP", "JPY", "CHF")
    assert {code for code in COUNTRIES if not time_zones().get(code)} == {"BV", "HM"}, "where nobody lives"
    assert ("NY", "New York") in usual["US"].regions
    assert usual["BE"].regions == ()


async def test_a_new_site_has_three_stand_in_buyers_of_its_country_and_its_neighbours(shop: Shop) -> None:
    at = await added(shop, GHENT)
    site = (await configuration.draft(shop.context, at.site_id)).edition.site
    assert [(one.country, one.business) for one in site.stand_in_buyers] == [("BE", False), ("NL", True), ("FR", False)]
    assert site.stand_in_buyers[0].name == "Belgium, at home"
    assert {one.currency for one in site.stand_in_buyers} == {"EUR"}


async def test_where_states_tax_a_new_site_says_which(shop: Shop) -> None:
    american = NewSite("Spoke", "https://spoke.example", "US", "USD", "America/New_York")
    with pytest.raises(InvalidInput) as refused:
        await added(shop, american)
    assert [(one.where, one.remedy) for one in refused.value.problems] == [
        ("region", "Write the state in full, as in US-NY")
    ]
    at = await added(shop, NewSite(**{**{f: getattr(american, f) for f in NewSite.__slots__}, "region": "NY"}))
    site = (await configuration.draft(shop.context, at.site_id)).edition.site
    assert [one.place for one in site.tax.registrations] == ["US-NY"]
    assert site.stand_in_buyers[0].region == "NY"


async def test_a_seller_moves_until_the_first_live_sale_and_the_registration_at_home_moves_along(shop: Shop) -> None:
    at = await added(shop, GHENT)

    async def move(country: str) -> list[str | None]:
        part = (await configuration.draft(shop.context, at.site_id)).parts["site", "-"]
        wanted = [Edit("site", "-", part.change, {**part.body, "country": country})]
        await configuration.edit_parts(shop.context, at.site_id, None, wanted)
        return [
            one.place for one in (await configuration.draft(shop.context, at.site_id)).edition.site.tax.registrations
        ]

    assert await move("DE") == ["DE"]
    tax = (await configuration.draft(shop.context, at.site_id)).parts["tax", "-"]
    two = {**tax.body, "registrations": [{"place": "DE", "number": "DE136695976"}, {"place": "FR"}]}
    await configuration.edit_part(shop.context, at.site_id, None, "tax", "-", tax.change, two)
    assert await move("AT") == ["AT", "FR"]
    (home, _) = (await configuration.draft(shop.context, at.site_id)).edition.site.tax.registrations
    assert home.number is None, "the number was Germany's"
    assert await move("FR") == ["AT", "FR"], "registered there already"
    with pytest.raises(InvalidInput) as refused:
        await move("US")
    assert "state" in refused.value.problems[0].message


async def test_with_the_first_live_sale_the_country_stays(shop: Shop) -> None:
    await buy_for_real(shop)
    part = (await configuration.draft(shop.context, shop.site_id)).parts["site", "-"]
    assert (await configuration.site_state(shop.context, shop.site_id)).has_sold
    body = {**part.body, "country": "DE"}
    with pytest.raises(InvalidInput) as refused:
        await configuration.edit_part(shop.context, shop.site_id, None, "site", "-", part.change, body)
    assert [(one.where, one.code) for one in refused.value.problems] == [("country", "settled")]
    text = await site_files.export(shop.context, shop.site_id)
    moved = text.replace("country: NL", "country: DE", 1).replace("place: NL, number: NL999900073B17", "place: DE", 1)
    with pytest.raises(InvalidInput) as refused:
        await site_files.apply(shop.context, shop.site_id, None, moved, {})
    assert "settled" in [one.code for one in refused.value.problems]
    body = {**part.body, "time_zone": "Europe/Berlin", "name": "Another name"}
    await configuration.edit_part(shop.context, shop.site_id, None, "site", "-", part.change, body)


async def test_an_archived_site_is_closed_and_comes_back_closed(shop: Shop) -> None:
    for _ in range(2):
        await their_sites.archive(shop.context, shop.site_id, shop.person_id)
    state = await configuration.site_state(shop.context, shop.site_id)
    assert (state.row.archived_at is not None, state.selling) == (True, "closed")
    said = await selling_states.selling(shop.context, shop.site_id)
    assert [one.state for one in said.changes] == ["closed"]
    with pytest.raises(Closed):
        await opened(shop)
    async with siteless_transaction(shop.context.pool) as db:
        assert [one.archived for one in await memberships(db, shop.person_id)] == [True]
    await their_sites.bring_back(shop.context, shop.site_id)
    state = await configuration.site_state(shop.context, shop.site_id)
    assert (state.row.archived_at, state.selling) == (None, "closed")


async def test_a_site_that_sold_nothing_is_deleted_with_everything_and_others_stay(shop: Shop) -> None:
    other = await added(shop, GHENT)
    with pytest.raises(InvalidInput) as refused:
        await their_sites.delete(shop.context, shop.site_id, "Another")
    assert refused.value.problems[0].where == "name"
    assert await _rows_of(shop, shop.site_id) > 20
    kept = await _rows_of(shop, other.site_id)
    await their_sites.delete(shop.context, shop.site_id, " Ostrel Bindery ")
    assert await _rows_of(shop, shop.site_id) == 0
    assert await _rows_of(shop, other.site_id) == kept
    async with siteless_transaction(shop.context.pool) as db:
        assert [one.code for one in await memberships(db, shop.person_id)] == [other.code]


async def test_a_site_with_live_orders_is_never_deleted(shop: Shop) -> None:
    await buy_for_real(shop)
    before = await _rows_of(shop, shop.site_id)
    with pytest.raises(Conflict, match="Archive it instead"):
        await their_sites.delete(shop.context, shop.site_id, "Ostrel Bindery")
    assert await _rows_of(shop, shop.site_id) == before


async def test_nobody_deletes_the_site_of_somebody_else(shop: Shop) -> None:
    other = await added(shop, GHENT)
    async with site_transaction(shop.context.pool, other.site_id) as db:
        with pytest.raises(Exception, match="only the own site"):
            await sites.delete_site(db, shop.site_id)


async def _rows_of(shop: Shop, site_id: Any) -> int:
    """How many rows of a site there are, in all tables, as their owner sees them."""
    import psycopg

    async with await psycopg.AsyncConnection.connect(shop.database.superuser) as db:
        tables = await (
            await db.execute(
                "select table_name from information_schema.columns where column_name = 'site_id'"
                " and table_schema = 'public'"
            )
        ).fetchall()
        counted = 0
        for (table,) in tables:
            found = await (await db.execute(f"select count(*) from {table} where site_id = %s", [site_id])).fetchone()
            assert found is not None
            counted += found[0]
        return counted
