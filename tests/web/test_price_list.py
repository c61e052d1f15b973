"""The open list of prices, and baskets over HTTP."""

from __future__ import annotations

from uuid import uuid4

from tests.service.counter.test_selling import edit_price, go_live, released
from tests.service.living import edit
from tests.web.conftest import Web
from tests.web.test_counter import boot

LIST = "/counter/prices/ostrel"


async def test_any_page_reads_what_is_sold_in_every_currency(web: Web) -> None:
    answer = await web.counter.get(LIST, headers={"Origin": "https://elsewhere.example"})
    assert answer.status_code == 200
    assert answer.headers["access-control-allow-origin"] == "*"
    assert "max-age=60" in answer.headers["cache-control"]
    told = answer.json()
    assert (told["mode"], told["currencies"], told["next"]) == ("test", ["EUR", "GBP", "USD", "JPY"], None)
    assert told["tax_included"] == {"EUR": True, "GBP": True, "USD": False, "JPY": True}
    by_id = {one["id"]: one for one in told["prices"]}
    assert by_id["kit"]["amounts"] == {"EUR": "48.00", "GBP": "42.00", "USD": "51.95", "JPY": "8200"}
    assert [one["id"] for one in by_id["kit"]["variants"]] == ["moss", "chalk", "indigo"]
    assert by_id["kit"]["link"].endswith("/buy/ostrel-kit?items=kit")
    assert by_id["papers"]["link"].endswith("/buy/ostrel-shop?items=papers")
    assert (by_id["press-4"]["every"], by_id["press-4"]["payments"]) == ("P1M", 4)
    assert "parcel-first-members" not in by_id  # kept for those who have it
    some = (await web.counter.get(LIST, params={"only": "kit,nothing,thread"})).json()["prices"]
    assert [one["id"] for one in some] == ["kit", "thread"]
    after = (await web.counter.get(LIST, params={"after": "kit"})).json()["prices"]
    assert [one["id"] for one in after] == [one for one in by_id if one != "kit"]
    assert (await web.counter.get("/counter/prices/nobody")).status_code == 404


async def test_real_buyers_prices_are_those_of_the_release_and_named_customers_their_own(web: Web) -> None:
    shop = web.shop
    await released(shop)
    await go_live(shop)
    await edit_price(shop, "99.00")
    told = (await web.counter.get(LIST)).json()
    kit = next(one for one in told["prices"] if one["id"] == "kit")
    assert (told["mode"], kit["amounts"]["EUR"]) == ("live", "48.00")
    await released(shop)
    kit = (await web.counter.get(LIST, params={"only": "kit"})).json()["prices"][0]
    assert kit["amounts"]["EUR"] == "99.00"


async def test_a_site_that_is_built_elsewhere_tells_its_prices_once_it_sells(web: Web) -> None:
    await edit(web.shop, "site", "-", url="https://ostrel.example")
    answer = await web.counter.get(LIST)
    assert answer.status_code == 409
    assert "does not sell here yet" in answer.json()["detail"]


async def test_a_basket_over_http(web: Web) -> None:
    visit = (await boot(web, "/buy/ostrel-shop"))["counter"]["visit"]
    mine = str(uuid4())
    put = [{"price": "kit", "quantity": 2, "variant": "moss"}, {"price": "papers", "quantity": 1}]
    answer = await web.counter.post("/counter/api/basket", json={"visit": visit, "basket": mine, "put": put})
    told = answer.json()
    assert [(one["price"], one["quantity"]) for one in told["basket"]["things"]] == [("kit", 2), ("papers", 1)]
    assert "papers" in [one["id"] for one in told["prices"]]
    wrong = {"visit": visit, "basket": mine, "put": [{"price": "kit", "quantity": 1, "variant": "red"}]}
    refused = await web.counter.post("/counter/api/basket", json=wrong)
    assert (refused.status_code, refused.json()["errors"][0]["path"]) == (422, "items[0].variant")
    for bad in ({"basket": "x"}, {"put": [{"price": "kit", "quantity": -1}]}, {"put": [{"price": "kit"}] * 51}):
        body = {"visit": visit, "basket": mine, **bad}
        assert (await web.counter.post("/counter/api/basket", json=body)).status_code == 422
    asked = {"visit": visit, "country": "NL", "items": [{"price": "kit", "variant": "moss"}, {"price": "papers"}]}
    quoted = (await web.counter.post("/counter/api/quote", json=asked)).json()
    assert quoted["due_today"] == "77.00"
    shown = (await boot(web, f"/buy/ostrel-shop?basket={mine}"))["counter"]
    assert [one["price"] for one in shown["basket"]["things"]] == ["kit", "papers"]
    assert (await boot(web, "/buy/ostrel-shop?basket=cut-off"))["counter"]["basket"]["things"] == []
