"""Selling with tax and delivery: addresses, tax numbers, where a buyer lives; the report and the EU threshold."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

import pytest

from skurrow.core.order import Buyer
from skurrow.core.problems import InvalidInput
from skurrow.service import addresses
from skurrow.service.counter import checking, paying, pricing
from skurrow.service.counter.progress import Progress
from skurrow.service.counter.visit import Choice
from skurrow.service.draft import configuration
from skurrow.service.orders import books
from skurrow.service.refusals import Conflict
from skurrow.service.tax import reports, tax, tax_numbers
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from tests.conftest import Shop
from tests.payments import payment_of
from tests.service.counter.test_selling import go_live, opened, released, story

HOME = {"street": "Brink 3", "postal_code": "7411 BR", "city": "Deventer"}
GERMAN = {"street": "Kai 1", "postal_code": "20457", "city": "Hamburg"}
BELGIAN = {"street": "Kaai 1", "postal_code": "9000", "city": "Gent"}
POST = Choice(variant="moss", delivery="post")


async def buy(shop: Shop, checkout: str = "kit", country: str = "NL", expected: str = "52.95", **more: Any) -> Progress:
    mode = more.pop("mode", "test")
    visit = await opened(shop, f"ostrel-{checkout}")
    choice = more.pop("choice", POST if checkout == "kit" else Choice())
    token = await shop.cards.token(mode=mode)
    typed = {"email": "jo@example.org", "name": "Jo", "token": token, "choice": choice, **more}
    return await paying.pay(shop.context, visit, payment_of(country=country, expected=expected, **typed))


async def edit_single(shop: Shop, kind: str, **changes: Any) -> None:
    row = (await configuration.draft(shop.context, shop.site_id)).parts[kind, "-"]
    body = {**row.body, **changes}
    await configuration.edit_part(shop.context, shop.site_id, None, kind, "-", row.change, body)


# -- addresses ----------------------------------------------------------------------------------------------------


async def test_what_is_sent_needs_an_address_and_keeps_it(shop: Shop) -> None:
    with pytest.raises(InvalidInput) as refused:
        await buy(shop)
    assert {p.where for p in refused.value.problems} == {"address.street", "address.postal_code", "address.city"}
    with pytest.raises(InvalidInput) as refused:
        await buy(shop, address={**HOME, "postal_code": "7411"})
    (problem,) = refused.value.problems
    assert (problem.where, "as in 1234 AB" in problem.remedy) == ("address.postal_code", True)
    assert (await buy(shop, address=HOME)).state == "paid"
    order = (await story(shop)).order
    assert (order.total, order.buyer["address"], order.wanted["delivery"]) == (5295, HOME, "post")
    assert (order.quote["delivery"]["total"], order.quote["tax_total"]) == ("4.95", "9.19")


async def test_who_brings_it_may_call_where_the_way_asks_for_a_number(shop: Shop) -> None:
    state = await configuration.draft(shop.context, shop.site_id)
    zones = state.parts["delivery", "-"].body["zones"]
    zones[0]["methods"][0]["telephone"] = "needed"
    await edit_single(shop, "delivery", zones=zones)
    for typed, says in (("", "is missing"), ("12", "There is no such telephone number")):
        with pytest.raises(InvalidInput) as refused:
            await buy(shop, address=HOME, telephone=typed or None)
        (problem,) = refused.value.problems
        assert (problem.where, says in problem.message) == ("telephone", True)
    assert (await buy(shop, address=HOME, telephone="0570 612345")).state == "paid"
    assert (await story(shop)).order.kept.buyer.telephone == "+31 570 612 345"
    # Nobody calls about what is collected, whatever the browser sends.
    collected = replace(POST, delivery="collect")
    assert (await buy(shop, expected="48.00", choice=collected, telephone="12")).state == "paid"
    newest, _ = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    assert newest.kept.buyer.telephone is None


async def test_a_parcel_may_go_to_somebody_else(shop: Shop) -> None:
    there = {"country": "DE", "street": "Weg 1", "postal_code": "20095", "city": "Hamburg"}
    with pytest.raises(InvalidInput) as refused:
        await buy(shop, expected="57.50", deliver_to=there)
    assert [p.where for p in refused.value.problems] == ["deliver_to.name"]
    assert (await buy(shop, expected="57.50", deliver_to={**there, "name": "Ada"})).state == "paid"
    order = (await story(shop)).order
    assert [tax["place"] for tax in order.quote["taxes"]] == ["DE"]
    assert (order.buyer["country"], order.buyer["deliver_to"]["name"]) == ("NL", "Ada")


async def test_a_choice_of_delivery_that_changes_the_amount_is_noticed(shop: Shop) -> None:
    with pytest.raises(Conflict, match=r"The amount is 52\.95 EUR now"):
        await buy(shop, expected="48.00", address=HOME)


async def test_where_nothing_is_sent_it_is_said_before_paying(shop: Shop) -> None:
    await edit_single(shop, "delivery", zones=[{"name": "NL", "places": ["NL"], "methods": []}])
    visit = await opened(shop)
    for country in ("NL", "DE"):
        with pytest.raises(InvalidInput, match="Nothing can be sent to this address"):
            await pricing.quote_visit(shop.context, visit, Buyer(country=country), POST)


async def test_the_ways_that_are_shown_are_those_that_can_be_had(shop: Shop) -> None:
    visit = await opened(shop, "ostrel-press")
    found = await pricing.quote_visit(shop.context, visit, Buyer(country="DE"), Choice(price="press"))
    assert [(way.id, way.amount) for way in found.ways] == [("post", "0.00"), ("collect", "0.00")]
    weights = [{"up_to_g": 2000, "amount": {"EUR": "9.50"}}]
    zones = [{"name": "All", "places": ["*"], "methods": [{"id": "post", "name": "Post", "by_weight": weights}]}]
    await edit_single(shop, "delivery", zones=zones)
    visit = await opened(shop, "ostrel-press")
    with pytest.raises(InvalidInput, match="cannot be had for this parcel"):
        await pricing.quote_visit(shop.context, visit, Buyer(country="DE"), Choice(price="press"))


@pytest.mark.parametrize(
    ("country", "labels", "required"),
    [
        ("NL", ["Street and number", "Postal code", "City"], 3),
        ("US", ["Street and number", "City", "State", "ZIP code"], 4),
        ("JP", ["Postal code", "Prefecture", "Street and number"], 3),
        ("GB", ["Street and number", "Town", "Postal code"], 3),
        ("HK", ["Area", "District", "Street and number"], 2),
    ],
)
def test_each_country_has_its_own_fields_in_its_own_order(country: str, labels: list[str], required: int) -> None:
    form = addresses.form(country)
    assert [field.label for field in form.fields] == labels
    assert sum(field.required for field in form.fields) == required
    for field in form.fields:
        codes = [code for code, _ in field.choices]
        assert len(codes) == len(set(codes)), "each region once, not once a language"


# -- tax numbers ----------------------------------------------------------------------------------------------------


async def test_a_number_is_looked_up_once_a_day_and_the_answer_is_kept(shop: Shop) -> None:
    first = await tax_numbers.ask(shop.context, shop.site_id, "test", "BE 0999.000.030", "BE")
    assert (first.number, first.state, first.confirmed) == ("BE0999000030", "valid", True)
    assert first.name
    again = await tax_numbers.ask(shop.context, shop.site_id, "test", "BE0999000030", "BE")
    assert (again.reference, again.name) == (first.reference, first.name)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        live = await tax_numbers.known_answer(shop.context, Book(db, shop.site_id, "live"), "BE0999000030", "BE")
    assert live.state == "no_answer", "what a test has found out counts in the test book only"
    shop.clock.ahead += timedelta(days=2)
    later = await tax_numbers.ask(shop.context, shop.site_id, "test", "BE0999000030", "BE")
    assert (later.state, later.reference != first.reference) == ("valid", True)
    assert (await tax_numbers.ask(shop.context, shop.site_id, "test", "DE136695976", "DE")).state == "invalid"
    assert (await tax_numbers.ask(shop.context, shop.site_id, "test", "DE136695975", "DE")).state == "malformed"


async def test_whoever_tries_out_numbers_gets_no_more_answers(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tax_numbers, "MOST_A_MINUTE", 2)
    states = []
    for number in ("BE0999000030", "DE136695976", "BE0428759497"):
        states.append((await tax_numbers.ask(shop.context, shop.site_id, "test", number, number[:2])).state)
    assert states == ["valid", "invalid", "no_answer"]
    shop.clock.ahead += timedelta(minutes=2)
    assert (await tax_numbers.ask(shop.context, shop.site_id, "test", "BE0428759497", "BE")).state == "invalid"


async def test_a_look_up_that_does_not_answer_does_not_lose_the_sale(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(tax_numbers, "SECONDS", 0.3)
    business = {"business": True, "company": "Werkstatt", "tax_number": "DE999991005", "address": GERMAN}
    assert (await tax_numbers.ask(shop.context, shop.site_id, "test", "DE999991005", "DE")).state == "no_answer"
    assert (await buy(shop, "marbling", "DE", "79.00", **business)).state == "paid", "with tax"
    buyer = (await story(shop)).order.buyer
    assert (buyer["tax_number"], buyer["tax_number_check"]["answer"]) == ("DE999991005", "no_answer")


async def test_a_business_with_a_valid_number_pays_no_tax_and_its_proof_is_kept(shop: Shop) -> None:
    business = {"business": True, "company": "Atelier", "tax_number": "BE0999000030", "address": BELGIAN}
    assert (await buy(shop, "marbling", "BE", "65.29", **business)).state == "paid"
    order = (await story(shop)).order
    assert [(t["treatment"], t["amount"]) for t in order.quote["taxes"]] == [("reverse_charge", "0.00")]
    assert order.buyer["company"] == "Atelier"
    assert order.buyer["tax_number_check"]["answer"] == "valid"
    assert order.buyer["tax_number_check"]["reference"]
    wrong = {**business, "tax_number": "DE136695976"}
    with pytest.raises(Conflict, match=r"The amount is 79\.00 EUR now"):
        await buy(shop, "marbling", "BE", "65.29", **wrong)


# -- where a buyer lives ----------------------------------------------------------------------------------------------


async def test_a_buyer_of_something_digital_says_where_they_live_when_signs_disagree(shop: Shop) -> None:
    with pytest.raises(InvalidInput) as refused:
        await buy(shop, "marbling", "NL", "79.00", seen_in="DE")
    assert [(p.where, p.code) for p in refused.value.problems] == [("place", "place_conflict")]
    assert (await buy(shop, "marbling", "NL", "79.00", seen_in="DE", lives_here=True)).state == "paid"
    evidence = (await story(shop)).order.buyer["evidence"]
    assert evidence == {"declared": "NL", "connection": "DE", "card": "NL", "confirmed": True}
    assert (await buy(shop, seen_in="DE", address=HOME)).state == "paid", "a parcel's address is proof enough"


async def test_the_postal_code_is_asked_for_where_the_tax_of_something_digital_hangs_on_it(shop: Shop) -> None:
    with pytest.raises(InvalidInput) as refused:
        await buy(shop, "marbling", "ES", "79.00")
    assert [p.where for p in refused.value.problems] == ["address.postal_code"]
    assert (await buy(shop, "marbling", "ES", "79.00", address={"postal_code": "28001"})).state == "paid"
    assert (await buy(shop, "marbling", "ES", "65.29", address={"postal_code": "35001"})).state == "paid"
    edition = (await configuration.draft(shop.context, shop.site_id)).edition
    asked = {
        country for country in ("NL", "DE", "ES", "US", "CA", "JP") if checking.needs_postal_code(edition, country)
    }
    assert asked == {"ES", "US"}, "the seller is registered in New York, and nowhere in Canada"


# -- the report and the threshold -------------------------------------------------------------------------------------


async def test_the_report_equals_the_orders_to_the_cent(shop: Shop) -> None:
    await buy(shop, address=HOME)
    await buy(shop, "marbling", "DE", "79.00")
    await buy(shop, "patterns", "FR", "18.00", address={"postal_code": "75001"})
    await buy(shop, "marbling", "JP", "65.29")
    today = shop.today
    days = (today - timedelta(days=1), today + timedelta(days=1))
    found = await reports.tax_report(shop.context, shop.site_id, "test", *days)
    assert [(r.place, r.rate, r.treatment, r.base, r.amount, r.orders) for r in found.rows] == [
        ("DE", "0.19", "standard", "66.39", "12.61", 1),
        ("FR", "0.055", "reduced", "17.06", "0.94", 1),
        ("JP", "0.00", "outside", "65.29", "0.00", 1),
        ("NL", "0.21", "standard", "43.76", "9.19", 1),
    ]
    (total,) = found.totals
    assert (total.currency, total.orders, total.total, total.paid) == ("EUR", 4, "215.24", "215.24")
    assert Decimal(total.net) + Decimal(total.tax) == Decimal(total.paid)
    assert Decimal(total.net) == sum(Decimal(row.base) for row in found.rows)
    for mode, first, last in (("live", *days), ("test", date(2020, 1, 1), date(2020, 12, 31))):
        nothing = await reports.tax_report(shop.context, shop.site_id, mode, first, last)  # type: ignore[arg-type]
        assert (nothing.rows, nothing.totals) == ([], [])
    with pytest.raises(InvalidInput, match="is before"):
        await reports.tax_report(shop.context, shop.site_id, "test", days[1], days[0])


async def test_the_threshold_of_sales_across_the_eu_is_watched_in_the_live_book(shop: Shop) -> None:
    await edit_single(shop, "tax", registrations=[{"place": "NL"}])
    row = (await configuration.draft(shop.context, shop.site_id)).parts["product", "marbling"]
    body = {**row.body, "prices": [{**row.body["prices"][0], "amount": {"EUR": "5000.00"}}, row.body["prices"][1]]}
    await configuration.edit_part(shop.context, shop.site_id, None, "product", "marbling", row.change, body)
    await released(shop)
    await go_live(shop)
    states = []
    for country in ("NL", "DE", "FR", "AT"):
        more = {"address": {"postal_code": "75001"}} if country == "FR" else {}
        assert (await buy(shop, "marbling", country, "5000.00", mode="live", **more)).state == "paid"
        near = (await tax.tax_map(shop.context, shop.site_id)).threshold
        assert near is not None
        states.append((near.this_year, near.last_year, near.state))
        remarks = await tax.before_release(shop.context, shop.site_id)
        wrong = [one.wrong for one in remarks if "across EU borders" in one.words]
        assert wrong == {"below": [], "near": [False], "above": [True]}[near.state]
    assert states == [
        ("0.00", "0.00", "below"),
        ("4132.23", "0.00", "below"),
        ("8264.46", "0.00", "near"),
        ("12396.69", "0.00", "above"),
    ]


async def test_the_map_says_what_is_missing(shop: Shop) -> None:
    found = await tax.tax_map(shop.context, shop.site_id)
    assert [one.code for one in found.map.missing] == ["gb_no_threshold"]
    await edit_single(shop, "tax", registrations=[{"place": "NL"}])
    without = await tax.tax_map(shop.context, shop.site_id)
    missing = {one.code: one.places for one in without.map.missing}
    assert len(missing["eu_below_threshold"]) >= 26
    at = {row.place: row.cells[0][0] for row in without.map.rows if row.group == "eu"}
    assert (at["DE"].rate, at["DE"].place, at["DE"].code) == ("0.21", "NL", "eu_below_threshold")


async def test_the_tester_says_what_a_parcel_costs_or_why_it_cannot_be_had(shop: Shop) -> None:
    async def tried(price: str, quantity: int, country: str) -> list[tuple[str, str | None]]:
        found = await tax.try_delivery(shop.context, shop.site_id, price, quantity, country, None, None, "EUR")
        return [(method.id, method.amount) for method in found.methods]

    assert await tried("kit", 1, "DE") == [("post", "9.50"), ("collect", "0.00")]
    assert await tried("kit", 3, "DE") == [("post", "16.00"), ("collect", "0.00")]
    assert await tried("press", 1, "JP") == [("post", "64.00")]
    heavy = await tax.try_delivery(shop.context, shop.site_id, "parcel-month", 9999, "JP", None, None, "EUR")
    assert heavy.methods[0].amount is None
    assert "cannot be had" in (heavy.methods[0].problem or "")
    await edit_single(shop, "delivery", zones=[])
    assert (await tax.try_delivery(shop.context, shop.site_id, "kit", 1, "DE", None, None, "EUR")).zone is None
    with pytest.raises(InvalidInput, match="There is no price"):
        await tried("gone", 1, "DE")
