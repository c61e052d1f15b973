"""Tax and delivery over HTTP: what the counter asks and tells, the rooms of the desk, the report as CSV."""

from __future__ import annotations

import csv
import io
from typing import Any

from tests.web.conftest import Web
from tests.web.test_counter import boot
from tests.web.test_desk import SITE


async def quoted(web: Web, checkout: str = "kit", **more: Any) -> Any:
    visit = (await boot(web, f"/buy/ostrel-{checkout}"))["counter"]["visit"]
    return await web.counter.post("/counter/api/quote", json={"visit": visit, "country": "NL", **more})


async def test_the_country_is_guessed_from_the_browsers_language_and_said_to_be_a_guess(web: Web) -> None:
    for language, country, guessed in (
        ("de-AT,de;q=0.9", "AT", True),
        ("en", "NL", False),
        ("en-US,en;q=0.9", "NL", False),
        ("xx-ZZ", "NL", False),
    ):
        web.counter.headers["accept-language"] = language
        counter = (await boot(web, "/buy/ostrel-kit"))["counter"]
        assert (counter["country"], counter["guessed"], counter["form"]["country"]) == (country, guessed, country)
    assert [field["name"] for field in counter["form"]["fields"]] == ["street", "postal_code", "city"]
    assert counter["prices"][0]["sends"] is True


async def test_a_form_is_told_for_each_country(web: Web) -> None:
    answer = await web.counter.get("/counter/api/address/US")
    form = answer.json()
    assert [field["label"] for field in form["fields"]] == ["Street and number", "City", "State", "ZIP code"]
    assert {"code": "NY", "name": "New York"} in form["fields"][2]["choices"]
    assert (form["tax_number"], "max-age" in answer.headers["cache-control"]) == (None, True)
    assert (await web.counter.get("/counter/api/address/GB")).json()["tax_number"] == "VAT number"
    assert (await web.counter.get("/counter/api/address/XX")).status_code == 422


async def test_a_quote_tells_ways_taxes_and_what_follows_from_the_postal_code(web: Web) -> None:
    found = (await quoted(web, variant="moss", country="DE")).json()
    assert [(way["id"], way["amount"], way["pick_up"]) for way in found["ways"]] == [
        ("post", "9.50", False),
        ("collect", "0.00", True),
    ]
    assert (found["way"], found["due_today"], found["delivery"]["amount"]) == ("post", "57.50", "9.50")
    assert [(tax["place"], tax["rate"]) for tax in found["taxes"]] == [("DE", "0.19")]
    new_york: dict[str, Any] = {"country": "US", "address": {"postal_code": "10001"}}
    found = (await quoted(web, variant="moss", **new_york)).json()
    assert (found["region"], found["taxes"][0]["place"], found["untaxed_total"]) == ("NY", "US-NY", "0.00")
    japan = (await quoted(web, variant="moss", country="JP")).json()
    assert (japan["untaxed_total"], japan["delivery"]["amount"], japan["due_today"]) == ("11.63", "19.00", "55.37")
    assert [note["code"] for note in japan["notes"]] == ["export"]
    digital = (await quoted(web, "marbling", country="ES")).json()
    assert (digital["ways"], digital["way"], digital["needs_postal_code"]) == ([], None, True)
    elsewhere = {"country": "FR", "postal_code": "75001", "name": "Ada"}
    sent = (await quoted(web, variant="moss", deliver_to=elsewhere)).json()
    assert sent["taxes"][0]["place"] == "FR"


async def test_a_tax_number_is_asked_about_and_then_counts(web: Web) -> None:
    visit = (await boot(web, "/buy/ostrel-marbling"))["counter"]["visit"]
    business = {"visit": visit, "country": "BE", "business": True, "tax_number": "BE0999000030"}
    before = (await web.counter.post("/counter/api/quote", json=business)).json()
    assert (before["due_today"], before["number"]["state"]) == ("79.00", "no_answer")
    number = {"visit": visit, "country": "BE", "number": "BE0999000030"}
    asked = (await web.counter.post("/counter/api/tax-number", json=number)).json()
    assert (asked["state"], asked["words"].endswith("the number is valid.")) == ("valid", True)
    after = (await web.counter.post("/counter/api/quote", json=business)).json()
    assert (after["due_today"], after["taxes"][0]["treatment"]) == ("65.29", "reverse_charge")
    forged = await web.counter.post("/counter/api/tax-number", json={**number, "visit": "forged"})
    assert forged.status_code == 404


async def test_the_map_the_tester_and_the_report_at_the_desk(web: Web) -> None:
    await web.sign_in()
    found = (await web.desk.get(f"{SITE}/treatments")).json()
    assert [kind["words"] for kind in found["kinds"]] == ["Goods", "Digital, ebook", "Digital", "Event in Netherlands"]
    home = found["rows"][0]
    assert (home["group"], home["name"], home["cells"][0]["consumer"]["rate"]) == ("home", "Netherlands", "0.21")
    names = [row["name"] for row in found["rows"] if row["group"] == "eu"]
    assert names == sorted(names)
    germany = next(row for row in found["rows"] if row["place"] == "DE")["cells"]
    assert (germany[0]["consumer"]["code"], germany[0]["business"]["treatment"]) == ("one_stop_shop", "intra_eu")
    assert "Taxes in Europe Database" in germany[0]["consumer"]["sources"][0]
    tried = {"price": "kit", "quantity": 3, "country": "DE", "currency": "GBP"}
    parcel = (await web.desk.post(f"{SITE}/parcels", json=tried)).json()
    assert (parcel["zone"], parcel["methods"][0]["amount"]) == ("European Union", "13.76")
    wrong = await web.desk.post(f"{SITE}/parcels", json={**tried, "currency": "CHF"})
    assert (wrong.status_code, wrong.json()["errors"][0]["path"]) == (422, "currency")


async def test_the_report_is_taken_as_csv(web: Web) -> None:
    await web.sign_in()
    token = await web.shop.cards.token()
    visit = (await boot(web, "/buy/ostrel-marbling"))["counter"]["visit"]
    sale = {"visit": visit, "email": "a@example.org", "name": "A", "country": "DE", "expected": "79.00", "token": token}
    assert (await web.counter.post("/counter/api/pay", json=sale)).json()["state"] == "paid"
    period = {"mode": "test", "first": "2026-01-01", "last": "2099-12-31"}
    view = (await web.desk.get(f"{SITE}/tax-report", params=period)).json()
    assert [(row["place_name"], row["net"], row["tax"]) for row in view["rows"]] == [("Germany", "66.39", "12.61")]
    answer = await web.desk.get(f"{SITE}/tax-report.csv", params=period)
    assert answer.headers["content-type"].startswith("text/csv")
    (row,) = list(csv.DictReader(io.StringIO(answer.text)))
    assert (row["place"], row["rate"], row["net"], row["tax amount"]) == ("DE", "0.19", "66.39", "12.61")
    own = {"place": "SG", "name": "=1+1", "rate": "0.09"}
    part = (await web.desk.get(f"{SITE}/parts/tax/-")).json()["part"]
    body = {**part["body"], "registrations": [{"place": "NL"}, {"place": "SG"}], "rates": [own]}
    assert (await web.desk.put(f"{SITE}/parts/tax/-", json={"seen": part["change"], "body": body})).status_code == 200
    visit = (await boot(web, "/buy/ostrel-marbling"))["counter"]["visit"]
    sold = {**sale, "visit": visit, "country": "SG", "token": await web.shop.cards.token()}
    assert (await web.counter.post("/counter/api/pay", json=sold)).json()["state"] == "paid"
    told = (await web.desk.get(f"{SITE}/tax-report.csv", params=period)).text
    assert ",SG,'=1+1,0.09," in told, "no spreadsheet takes a name for a formula"
    wrong = await web.desk.get(f"{SITE}/tax-report", params={**period, "last": "2025-01-01"})
    assert (wrong.status_code, wrong.json()["errors"][0]["path"]) == (422, "last")


async def test_delivery_is_a_part_that_may_not_be_there_yet(web: Web) -> None:
    await web.sign_in()
    now = (await web.desk.get(f"{SITE}/parts/delivery/-")).json()["part"]
    assert [zone["name"] for zone in now["body"]["zones"]] == ["Netherlands", "European Union", "Elsewhere"]
    body = {"zones": [{"name": "NL", "places": ["NL"], "methods": [{"id": "post", "name": "Post"}]}]}
    refused = await web.desk.put(f"{SITE}/parts/delivery/-", json={"seen": now["change"], "body": body})
    assert refused.status_code == 422
    assert refused.json()["errors"][0]["path"].endswith("zones[0].methods[0].amount")
