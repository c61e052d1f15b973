"""Ways to pay over HTTP: what buyers and the desk are told, what is refused by name, and what never gets out."""

from __future__ import annotations

import asyncio
import json
import re
from typing import Any
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest

from skurrow.run.installation import MERCHANT
from tests.service.statements import camt
from tests.web.conftest import Web

SITE = "/desk/api/sites/ostrel"


def boot(page: str) -> dict[str, Any]:
    """What a page begins with."""
    found = re.search(r'id="boot">(.*?)</script>', page, re.S)
    assert found
    data: dict[str, Any] = json.loads(found[1])
    return data


async def connect(web: Web, *adapters: str, mode: str = "test") -> None:
    """Connects gateways as a developer does; signed in already."""
    for adapter in adapters:
        given = web.shop.cards.installation.test_gateways()[adapter]
        body = {"mode": mode, "merchant": given.merchant, "key": given.key}
        answer = await web.desk.post(f"{SITE}/gateways/{adapter}/connections", json=body)
        assert answer.status_code == 201, answer.text


async def begun(web: Web) -> dict[str, Any]:
    page = await web.counter.get("/buy/ostrel-kit")
    return {**boot(page.text)["counter"], "policy": page.headers["content-security-policy"]}


def paying(visit: str, way: str | None, **more: Any) -> dict[str, Any]:
    who = {"email": "jo@example.org", "name": "Jo", "country": "NL"}
    what = {"variant": "moss", "delivery": "collect", "expected": "48.00"}
    return {"visit": visit, **who, **what, "way": way, **more}


async def pay(web: Web, way: str | None, **more: Any) -> tuple[str, dict[str, Any]]:
    visit = (await begun(web))["visit"]
    answer = await web.counter.post("/counter/api/pay", json=paying(visit, way, **more))
    assert answer.status_code == 200, answer.text
    return visit, answer.json()


async def orders(web: Web, show: str = "all") -> list[dict[str, Any]]:
    found = await web.desk.get(f"{SITE}/books/test/orders", params={"show": show})
    listed: list[dict[str, Any]] = found.json()["orders"]
    return listed


# -- the counter ------------------------------------------------------------------------------------------


async def test_a_checkout_tells_its_ways_and_frames_only_their_fields(web: Web) -> None:
    await web.sign_in()
    await connect(web, "standin-wallet", "standin-debit", "transfer")
    shown = await begun(web)
    assert [(one["gateway"], one["kind"], one["origin"]) for one in shown["pay"]] == [
        ("standin-cards", "fields", "http://cards.localhost:8401"),
        ("standin-wallet", "off_site", None),
        ("standin-debit", "fields", "http://debit.localhost:8408"),
        ("transfer", "person", None),
    ]
    assert "frame-src http://cards.localhost:8401 http://debit.localhost:8408;" in shown["policy"]
    windows = [one["window"] for one in shown["pay"]]
    assert windows[0] == {"method": "http://cards.localhost:8401/pay", "data": {"merchant": "ostrel", "mode": "test"}}
    assert windows[1:] == [None, None, None]
    asked = {"visit": shown["visit"], "country": "NL", "variant": "moss", "delivery": "collect"}
    quoted = (await web.counter.post("/counter/api/quote", json=asked)).json()
    assert quoted["pay_with"] == [one["gateway"] for one in shown["pay"]]
    abroad = (await web.counter.post("/counter/api/quote", json={**asked, "country": "GB", "delivery": "post"})).json()
    assert abroad["pay_with"] == ["standin-cards", "standin-wallet"]


async def test_the_account_of_a_transfer_is_told_to_those_who_pay_by_it_only(web: Web) -> None:
    await web.sign_in()
    await connect(web, "transfer")
    page = await web.counter.get("/buy/ostrel-kit")
    assert "ZZZZ" not in page.text
    visit, progress = await pay(web, "transfer")
    assert progress["state"] == "waiting"
    thanks = await web.counter.get(progress["confirmation"])
    told = boot(thanks.text)
    assert (told["state"], told["awaited"]["gateway"], told["awaited"]["may_give_up"]) == ("waiting", "transfer", True)
    assert told["awaited"]["transfer"]["iban"] == "NL51 ZZZZ 0123 4567 89"
    assert told["again"] == "/buy/ostrel-kit"
    given_up = (await web.counter.post("/counter/api/give-up", json={"visit": visit})).json()
    assert (given_up["state"], given_up["message"]) == ("refused", "You did not wait for it. Nothing was charged.")
    assert boot((await web.counter.get(progress["confirmation"])).text)["state"] == "open"
    assert (await web.counter.post("/counter/api/give-up", json={"visit": "x"})).status_code == 404


@pytest.mark.parametrize(
    ("way", "more", "status", "path"),
    [
        ("cheque", {}, 422, "way"),
        ("standin-cards", {}, 422, "token"),
        ("transfer", {"expected": "47.00"}, 409, None),
        ("transfer", {"country": "GB", "delivery": "post", "address": {"street": "1 Mill Lane", "city": "London",
                                                                        "postal_code": "E1 6AN"}}, 422, "way"),
        ("x" * 61, {}, 422, "way"),
    ],
)  # fmt: skip
async def test_what_cannot_be_paid_so_says_why(
    web: Web, way: str, more: dict[str, Any], status: int, path: str | None
) -> None:
    await web.sign_in()
    await connect(web, "transfer")
    visit = (await begun(web))["visit"]
    if more.get("country") == "GB":
        asked = {"visit": visit, "country": "GB", "variant": "moss", "delivery": "post", "address": more["address"]}
        more = {**more, "expected": (await web.counter.post("/counter/api/quote", json=asked)).json()["due_today"]}
    answer = await web.counter.post("/counter/api/pay", json=paying(visit, way, **more))
    assert answer.status_code == status, answer.text
    if path is not None:
        assert [one["path"] for one in answer.json()["errors"]] == [path]
    assert (await web.counter.post("/counter/api/progress", json={"visit": visit})).json()["state"] == "none"


async def test_a_buyer_comes_back_from_the_wallet_to_a_page_that_knows_them(web: Web) -> None:
    await web.sign_in()
    await connect(web, "standin-wallet")
    _, leaving = await pay(web, "standin-wallet")
    assert (leaving["state"], leaving["off_site"], leaving["way"]) == ("pending", True, "standin-wallet")
    path = urlsplit(leaving["approve_at"]).path
    async with httpx.AsyncClient(base_url=web.shop.cards.api("wallet")) as wallet:
        sent = await wallet.post(path, data={"answer": "cancel"})
    back = urlsplit(sent.headers["location"])
    page = boot((await web.counter.get(f"{back.path}?{back.query}")).text)
    (token,) = parse_qs(back.query)["back"]
    assert page["back"] == token
    fresh = page["counter"]["visit"]
    told = (await web.counter.post("/counter/api/come-back", json={"back": token, "fresh": fresh})).json()
    assert told["progress"]["state"] in ("pending", "refused")
    assert (told["counter"]["visit"], told["progress"]["approve_at"]) == (fresh, None)
    forged = await web.counter.post("/counter/api/come-back", json={"back": "forged", "fresh": fresh})
    assert forged.status_code == 404


# -- the desk ---------------------------------------------------------------------------------------------


async def test_gateways_tell_their_terms_and_never_their_keys(web: Web) -> None:
    await web.sign_in()
    await connect(web, "standin-debit", "transfer")
    answer = await web.desk.get(f"{SITE}/gateways")
    keys = [one.key for name, one in web.shop.cards.installation.test_gateways().items() if name.startswith("standin")]
    assert not any(key in answer.text for key in keys)
    found = {one["adapter"]: one for one in answer.json()}
    (debit,) = found["standin-debit"]["connections"]
    assert debit["limits"] == [{"currency": "EUR", "smallest": "1.00", "largest": "5000.00"}]
    assert (debit["fees"]["monthly"], debit["statement"], debit["pays_out"]) == ("9.00", "Ostrel Bindery", True)
    (account,) = found["transfer"]["connections"]
    assert account["details"] == {"holder": "Ostrel Bindery", "iban": "NL51ZZZZ0123456789"}
    assert [found[name]["authorises"] for name in ("standin-cards", "transfer")] == [True, False]
    assert found["invoice"]["offered"]
    assert not found["invoice"]["connections"]


@pytest.mark.parametrize(
    ("adapter", "merchant", "key", "says"),
    [
        ("transfer", "Ostrel", "NL52ZZZZ0123456789", "This is no IBAN"),
        ("transfer", "O" * 71, "NL51ZZZZ0123456789", "at most 70 characters"),
        ("standin-debit", MERCHANT, "wrong", "does not know this merchant"),
    ],
)
async def test_what_does_not_connect_names_the_field(
    web: Web, adapter: str, merchant: str, key: str, says: str
) -> None:
    await web.sign_in()
    body = {"mode": "test", "merchant": merchant, "key": key}
    answer = await web.desk.post(f"{SITE}/gateways/{adapter}/connections", json=body)
    assert answer.status_code == 422
    (error,) = answer.json()["errors"]
    assert error["path"] == "key"
    assert says in error["message"]
    assert error["remedy"]


async def test_costs_are_compared_for_a_basket_and_a_year(web: Web) -> None:
    await web.sign_in()
    await connect(web, "standin-wallet", "standin-debit")
    found = (await web.desk.get(f"{SITE}/payment-costs", params={"amount": "50.00", "charges": 100})).json()
    assert {one["gateway"]: (one["takes"], one["keeps"], one["year"]) for one in found["costs"]} == {
        "standin-cards": ("1.75", "48.25", "175.00"),
        "standin-wallet": ("1.60", "48.40", "160.00"),
        "standin-debit": ("0.60", "49.40", "168.00"),
    }
    london = next(one for one in found["buyers"] if one["buyer"] == "london")
    assert london["currency"] == "GBP"
    assert london["offers"]["standin-debit"] == "Not offered in GB."
    in_pounds = (await web.desk.get(f"{SITE}/payment-costs", params={"amount": "50.00", "currency": "GBP"})).json()
    cards = next(one for one in in_pounds["costs"] if one["gateway"] == "standin-cards")
    assert cards["parts"] == ["2.9 %: 1.45", "each charge: 0.30", "another currency, 1 %: 0.50"]
    for wrong in ({"amount": "5,0"}, {"currency": "SEK"}):
        assert (await web.desk.get(f"{SITE}/payment-costs", params=wrong)).status_code == 422


async def test_statements_go_in_and_what_they_hold_is_decided_about(web: Web) -> None:
    await web.sign_in()
    await connect(web, "transfer")
    _, progress = await pay(web, "transfer")
    reference = boot((await web.counter.get(progress["confirmation"])).text)["awaited"]["transfer"]["reference"]
    assert [one["state"] for one in await orders(web, "waiting")] == ["waiting"]
    statement = camt([("48.00", reference, "J. Jansen"), ("7.00", "no idea", "Somebody")])
    several = await asyncio.gather(
        *(web.desk.post(f"{SITE}/books/test/statements", params={"name": "a.xml"}, content=statement) for _ in range(4))
    )
    assert sum(one.json()["matched"] for one in several) == 1, "at once, and still each entry counts once"
    assert sum(one.json()["entries"] for one in several) == 8
    assert [one["state"] for one in await orders(web)] == ["paid"]
    (order,) = await orders(web, "paid")
    detail = (await web.desk.get(f"{SITE}/books/test/orders/{order['code']}")).json()
    assert (detail["paid_by"], detail["record"], len(detail["charges"])) == ("bank transfer", None, 1)
    listed = (await web.desk.get(f"{SITE}/books/test/transfers", params={"aside": True})).json()
    (line,) = listed["transfers"]
    assert (line["amount"], line["reason"], line["order"]) == ("7.00", "unknown", None)
    assert [one["format"] for one in listed["statements"]] == ["camt.053"] * 4
    decided = f"{SITE}/books/test/transfers/{line['id']}/decision"
    assert (await web.desk.post(decided, json={"decision": "take"})).status_code == 404
    assert (await web.desk.post(decided, json={"decision": "done", "note": "x\u0000"})).status_code == 422
    assert (await web.desk.post(decided, json={"decision": "done", "note": "given back"})).status_code == 204
    assert (await web.desk.get(f"{SITE}/books/live/transfers")).json()["transfers"] == []
    too_large = await web.desk.post(f"{SITE}/books/test/statements", content=b"x" * 5_000_001)
    assert (too_large.status_code, too_large.json()["errors"][0]["path"]) == (422, "file")
    assert (await web.desk.post(f"{SITE}/books/live/statements", content=statement)).status_code == 409


async def test_a_waiting_order_is_marked_by_hand_once(web: Web) -> None:
    await web.sign_in()
    await connect(web, "collection")
    await pay(web, "collection")
    (order,) = await orders(web)
    shown = (await web.desk.get(f"{SITE}/books/test/orders/{order['code']}")).json()
    assert (shown["awaited"]["by"], shown["awaited"]["overdue"]) == ("person", False)
    marked = await asyncio.gather(
        *(
            web.desk.post(f"{SITE}/books/test/orders/{order['code']}/by-hand", json={"paid": paid})
            for paid in (True, True, False)
        )
    )
    assert sorted(one.status_code for one in marked) == [204, 409, 409]
    assert len((await web.desk.get(f"{SITE}/books/test/orders/{order['code']}")).json()["charges"]) <= 1


async def test_a_held_order_is_shown_as_such_until_somebody_decides(web: Web) -> None:
    await web.sign_in()
    part = (await web.desk.get(f"{SITE}/parts/payments/-")).json()["part"]
    body = {**part["body"], "guards": [{"above": {"EUR": "10.00"}}]}
    saved = await web.desk.put(f"{SITE}/parts/payments/-", json={"seen": part["change"], "body": body})
    assert saved.status_code == 200, saved.text
    await pay(web, None, token=await web.shop.cards.token())
    (order,) = await orders(web, "held")
    assert order["held"]
    address = f"{SITE}/books/test/orders/{order['code']}"
    assert (await web.desk.get(address)).json()["review"]["reasons"] == ["The order is above 10.00 EUR."]
    assert (await web.desk.get(address)).json()["record"].startswith("http://cards.localhost:8401/records/")
    answers = await asyncio.gather(*(web.desk.post(f"{address}/held", json={"state": "passed"}) for _ in range(3)))
    assert sorted(one.status_code for one in answers) == [204, 409, 409]
    assert await orders(web, "held") == []


async def test_an_edit_of_the_ways_names_what_is_wrong_with_it(web: Web) -> None:
    await web.sign_in()
    part = (await web.desk.get(f"{SITE}/parts/payments/-")).json()["part"]
    body = {"ways": [{"gateway": "standin-cards", "countries": ["NL", "ZZ"]}], "guards": [{"tries": 3}]}
    answer = await web.desk.put(f"{SITE}/parts/payments/-", json={"seen": part["change"], "body": body})
    assert answer.status_code == 422
    assert {one["path"] for one in answer.json()["errors"]} == {"ways[0].countries[1]"}


async def test_who_answers_for_a_gateway_is_who_asked_and_a_developer(web: Web) -> None:
    await web.sign_in()
    begin = f"{SITE}/gateways/standin-cards/authorisations"
    address = (await web.desk.post(begin, json={"mode": "test"})).json()["address"]
    (state,) = parse_qs(urlsplit(address).query)["state"]
    denied = await web.desk.get("/desk/api/gateway-answer", params={"state": state, "error": "access_denied"})
    assert (denied.status_code, denied.headers["location"]) == (
        303, "/s/ostrel/payments/standin-cards?not_connected=denied"
    )  # fmt: skip
    late = await web.desk.get("/desk/api/gateway-answer", params={"state": state, "code": "guessed"})
    assert late.headers["location"].endswith("not_connected=late")
    assert (await web.desk.get("/desk/api/gateway-answer", params={"state": "forged"})).status_code == 404
    assert (await web.desk.post(f"{SITE}/gateways/transfer/authorisations", json={"mode": "test"})).status_code == 404
    await web.desk.delete("/desk/api/session")
    assert (await web.desk.get("/desk/api/gateway-answer", params={"state": state})).status_code == 401
