"""The account page over HTTP: signing in, seeing only what is one's own, changing it; and the page of a mailed link."""

from __future__ import annotations

import asyncio
import re
from datetime import date, timedelta
from typing import Any

import httpx
import pytest

from skurrow.core.quote.kept import KeptBuyer
from skurrow.service.counter import buyer_password
from skurrow.service.draft import configuration
from skurrow.service.mail.mail_words import MAILS, PLAIN
from skurrow.store.database import site_transaction
from tests.conftest import strict
from tests.service.living import (
    ADDRESS,
    CARDS,
    all_orders,
    buy,
    edit,
    happened,
    life,
    move,
    noon,
    own_cards,
    start_on,
    subscription,
)
from tests.web.conftest import Web

cards = own_cards

ORIGIN = {"origin": "http://counter.localhost:8400"}
API = "/counter/api/account/ostrel"
MAUD, JONTE = "maud@standin.example", "jonte@standin.example"


async def mails_to(web: Web, email: str) -> list[tuple[str, str]]:
    """Subject and text of what waits to be sent to somebody, the newest first."""
    shop = web.shop
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        cursor = await db.execute(
            "select subject, sealed_text from mails where to_address = %s order by id desc", (email,)
        )
        return [(subject, shop.context.vault.open(sealed)) for subject, sealed in await cursor.fetchall()]


async def ask(web: Web, method: str, path: str, body: Any = None, **more: Any) -> httpx.Response:
    headers = more.pop("headers", ORIGIN)
    return await web.counter.request(method, f"{API}{path}?test=1", json=body, headers=headers, **more)


async def token_for(web: Web, email: str) -> str:
    assert (await ask(web, "POST", "/link", {"email": email})).status_code == 204
    text = (await mails_to(web, email))[0][1]
    found = re.search(r"#([A-Za-z0-9_-]+)", text)
    assert found is not None, text
    return found[1]


async def sign_in(web: Web, email: str = MAUD) -> None:
    answer = await ask(web, "POST", "/enter", {"token": await token_for(web, email)})
    assert answer.status_code == 204, answer.text
    cookie = answer.headers["set-cookie"].lower()
    for said in ("httponly", "samesite=strict", "path=/counter/api/account/"):
        assert said in cookie


async def mine(web: Web) -> dict[str, Any]:
    answer = await ask(web, "GET", "/mine")
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


async def test_a_mailed_link_lets_in_once_and_soon(web: Web) -> None:
    await buy(web.shop, "parcel-month")
    token = await token_for(web, MAUD)
    assert (await ask(web, "GET", "/mine")).status_code == 401
    assert (await ask(web, "POST", "/enter", {"token": token})).status_code == 204
    assert (await mine(web))["email"] == MAUD
    assert (await ask(web, "POST", "/enter", {"token": token})).status_code == 404, "it works once"
    assert (await ask(web, "POST", "/leave")).status_code == 204
    assert (await ask(web, "GET", "/mine")).status_code == 401
    late = await token_for(web, MAUD)
    web.app.state.context.now = lambda: web.shop.clock() + timedelta(minutes=21)
    assert (await ask(web, "POST", "/enter", {"token": late})).status_code == 404


async def test_nothing_tells_who_is_a_customer(web: Web) -> None:
    strict(web.app.state.context)
    await buy(web.shop, "parcel-month")
    for email in (MAUD, "nobody@mail.example"):
        answers = [await ask(web, "POST", "/link", {"email": email}) for _ in range(6)]
        assert [one.status_code for one in answers] == [204] * 5 + [429]
    assert await mails_to(web, "nobody@mail.example") == []
    assert len([one for one in await mails_to(web, MAUD) if "Sign in" in one[0]]) == 5


async def test_no_customer_sees_or_touches_anothers(web: Web) -> None:
    await buy(web.shop, "parcel-month")
    await buy(web.shop, "parcel-month", email=JONTE)
    theirs = await subscription(web.shop, JONTE)
    await sign_in(web, MAUD)
    assert [one["code"] for one in (await mine(web))["subscriptions"]] == [(await subscription(web.shop)).code]
    path = f"/subscriptions/{theirs.code}"
    for method, end, body in (
        ("POST", "/proposal", {"price": "parcel-year"}),
        ("POST", "/agree", {"token": "x"}),
        ("POST", "/cancellation", {}),
        ("DELETE", "/cancellation", None),
        ("POST", "/pause", {}),
        ("DELETE", "/pause", None),
        ("POST", "/card", {"way": "standin-cards", "token": "x"}),
        ("POST", "/card-approved", {"way": "standin-cards", "key": str(theirs.id)}),
        ("GET", "/paper.pdf", None),
    ):
        answer = await ask(web, method, path + end, body, params={"number": "TEST-R-2026-00001", "test": "1"})
        assert answer.status_code == 404, (method, end, answer.text)
    assert await happened(web.shop, theirs.id) == ["begun"]
    # A session of the test book says nothing about the live one, nor about another site.
    assert (await web.counter.get(f"{API}/mine?test=0")).status_code in (401, 200)
    assert (await web.counter.get("/counter/api/account/nowhere/mine?test=1")).status_code == 404


async def test_another_page_cannot_act_for_a_customer(web: Web) -> None:
    await buy(web.shop, "parcel-month")
    await sign_in(web)
    code = (await subscription(web.shop)).code
    for origin in ({}, {"origin": "https://evil.example"}, {"origin": "http://localhost:8400"}):
        answer = await ask(web, "POST", f"/subscriptions/{code}/cancellation", {}, headers=origin)
        assert answer.status_code == 403
    assert (await life(web.shop)).ends_on is None


async def test_plan_pause_end_and_papers_are_looked_after_alone(web: Web) -> None:
    await start_on(web.shop, date(2027, 4, 1))
    await buy(web.shop, "parcel-month")
    web.app.state.context.now = web.shop.clock
    await sign_in(web)
    code = (await subscription(web.shop)).code
    path = f"/subscriptions/{code}"
    shown = (await ask(web, "POST", f"{path}/proposal", {"price": "parcel-quarter"})).json()
    assert (shown["when"], shown["charge"], shown["next_on"]) == ("now", "66.00", "2027-07-01")
    done = (await ask(web, "POST", f"{path}/agree", {"token": shown["token"]})).json()
    assert done["state"] == "now"
    found = (await mine(web))["subscriptions"][0]
    assert (found["plan"], found["next_on"]) == ("By the quarter", "2027-07-01")
    assert {one["kind"] for one in found["papers"]} == {"receipt", "credit note"}
    paper = await web.counter.get(found["papers"][0]["pdf"])
    assert paper.headers["content-type"] == "application/pdf"
    ended = (await ask(web, "POST", f"{path}/cancellation", {"reason": "Too much paper"})).json()
    assert (ended["ends_on"], ended["next_on"], "take_back" in ended["may"]) == ("2027-07-01", None, True)
    assert (await ask(web, "DELETE", f"{path}/cancellation")).json()["ends_on"] is None
    paused = (await ask(web, "POST", f"{path}/pause", {"resumes_on": "2027-09-01"})).json()
    assert (paused["pausing"], paused["resumes_on"]) == (True, "2027-09-01")
    refused = await ask(web, "POST", f"{path}/proposal", {"price": "parcel-year"})
    assert (refused.status_code, refused.json()["detail"]) == (
        409, "It is paused, or about to be. Go on with it first."
    )  # fmt: skip


async def test_the_owner_decides_what_customers_may_do(web: Web) -> None:
    await edit(web.shop, "subscriptions", "-", customers_may=["pause"])
    await buy(web.shop, "parcel-month")
    await sign_in(web)
    (found,) = (await mine(web))["subscriptions"]
    assert set(found["may"]) == {"pause", "card"}
    path = f"/subscriptions/{found['code']}"
    assert (await ask(web, "POST", f"{path}/cancellation", {})).status_code == 403
    assert (await ask(web, "POST", f"{path}/proposal", {"price": "parcel-year"})).status_code == 403


async def test_a_failed_charge_is_paid_by_the_mailed_link_without_signing_in(web: Web) -> None:
    await start_on(web.shop, date(2027, 1, 10))
    await buy(web.shop, "parcel-month", "fails_later")
    await move(web.shop, to=noon(date(2027, 3, 11)))
    assert (await life(web.shop)).state == "failing"
    subject, text = (await mails_to(web, MAUD))[0]
    assert "did not go through" in subject
    assert "24 March 2027" in text, "until when the service goes on"
    link = re.search(r"/renewal/(\S+)", text)
    assert link is not None
    assert (await web.counter.get(f"/renewal/{link[1]}")).status_code == 200
    body = {"link": link[1]}
    shown = (await web.counter.post("/counter/api/renewal", json=body, headers=ORIGIN)).json()
    assert (shown["state"], shown["amount"], shown["what"]) == ("pay", "24.00", "Paper parcel")
    bad = {**body, "way": "standin-cards", "token": await web.shop.cards.token(CARDS["no_funds"])}
    refused = (await web.counter.post("/counter/api/renewal-card", json=bad, headers=ORIGIN)).json()
    assert refused["state"] == "refused"
    assert (await life(web.shop)).tries == 1, "what the customer tries does not count as a try of ours"
    good = {**body, "way": "standin-cards", "token": await web.shop.cards.token()}
    assert (await web.counter.post("/counter/api/renewal-card", json=good, headers=ORIGIN)).json()["state"] == "now"
    assert (await life(web.shop)).state == "active"
    assert (await subscription(web.shop)).card_ending == "1409"
    assert (await web.counter.post("/counter/api/renewal", json=body, headers=ORIGIN)).json()["state"] == "paid"
    assert (await web.counter.get("/renewal/forged")).status_code == 404


async def test_a_new_card_is_kept_and_one_that_asks_the_bank_when_it_is_approved(web: Web) -> None:
    await buy(web.shop, "parcel-month")
    await sign_in(web)
    path = f"/subscriptions/{(await subscription(web.shop)).code}"
    way = {"way": "standin-cards"}
    done = await ask(web, "POST", f"{path}/card", {**way, "token": await web.shop.cards.token(CARDS["fails_once"])})
    assert (done.json()["state"], (await subscription(web.shop)).card_ending) == ("now", "1207")
    waits = (
        await ask(web, "POST", f"{path}/card", {**way, "token": await web.shop.cards.token(CARDS["approval"])})
    ).json()
    assert (waits["state"], (await subscription(web.shop)).card_ending) == ("pending", "1207")
    async with httpx.AsyncClient() as bank:
        address = waits["approve_at"].replace("http://cards.localhost:8401", web.shop.cards.url)
        await bank.post(address, content=b"answer=approve")
    done = await ask(web, "POST", f"{path}/card-approved", {**way, "key": waits["key"]})
    assert (done.json()["state"], (await subscription(web.shop)).card_ending) == ("now", "1614")
    refused = await ask(web, "POST", f"{path}/card", {**way, "token": await web.shop.cards.token(CARDS["no_funds"])})
    assert refused.json()["state"] == "refused"


async def test_a_password_of_the_checkout_lets_nobody_in_before_the_address_is_proved(web: Web) -> None:
    """Somebody may set a password beside an address that is not theirs, long before its owner buys anything."""
    bought = await buy(web.shop, "parcel-month")
    shop = web.shop
    await buyer_password.password_at_checkout(
        shop.context, shop.site_id, "test", bought.visit.id, MAUD, "three plain words"
    )
    body = {"email": MAUD, "password": "three plain words"}
    assert (await ask(web, "POST", "/password-sign-in", body)).status_code == 422
    # Followed elsewhere, a link drops it.
    await sign_in(web)
    assert (await mine(web))["has_password"] is False
    assert (await ask(web, "POST", "/password-sign-in", body)).status_code == 422
    # Followed in the browser that has set it, it proves it.
    await buyer_password.password_at_checkout(
        shop.context, shop.site_id, "test", bought.visit.id, MAUD, "three plain words"
    )
    counter = await web.counter.get("/buy/ostrel-club")
    assert counter.status_code == 200
    from skurrow.service.counter.visit import signed

    proof = {"token": await token_for(web, MAUD), "visit": signed(shop.context, bought.visit)}
    assert (await ask(web, "POST", "/enter", proof)).status_code == 204
    assert (await ask(web, "POST", "/password-sign-in", body)).status_code == 204
    assert (await ask(web, "PUT", "/password", {"password": "short"})).status_code == 422
    strict(web.app.state.context)
    wrong = {**body, "password": "something else"}
    for email in (MAUD, "nobody@standin.example"):  # nobody learns who has a password by how often they may try
        tried = {**wrong, "email": email}
        answers = [(await ask(web, "POST", "/password-sign-in", tried)).status_code for _ in range(6)]
        assert answers == [422] * 5 + [429], email
    at_once = [ask(web, "POST", "/password-sign-in", {**wrong, "email": JONTE}) for _ in range(12)]
    assert sorted(one.status_code for one in await asyncio.gather(*at_once)) == [422] * 5 + [429] * 7


async def test_whoever_is_on_a_ladder_changes_plan_instead_of_buying_a_second_one(web: Web) -> None:
    await buy(web.shop, "parcel-month")
    from skurrow.service.refusals import Conflict

    with pytest.raises(Conflict, match="has Paper parcel already"):
        await buy(web.shop, "parcel-year", email=MAUD.upper())
    subject, text = (await mails_to(web, MAUD))[0]
    assert "You have Paper parcel already" in subject
    assert "By the year" in text
    await buy(web.shop, "parcel-year", email=JONTE)
    async with site_transaction(web.shop.context.pool, web.shop.site_id) as db:
        cursor = await db.execute("select count(*) from subscriptions")
        assert await cursor.fetchone() == (2,)


async def test_an_address_is_changed_for_what_comes(web: Web) -> None:
    await buy(web.shop, "parcel-month", delivery="post")
    await sign_in(web)
    wrong = {"name": "Maud T", "address": {"street": "Kade 2", "city": "Zutphen"}}
    assert (await ask(web, "PUT", "/address", wrong)).status_code == 422
    right = {"name": "Maud T", "address": {"street": "Kade 2", "postal_code": "7201 AB", "city": "Zutphen"}}
    found = (await ask(web, "PUT", "/address", right)).json()
    assert found["address"]["address"]["city"] == "Zutphen"
    assert (await subscription(web.shop)).buyer["name"] == "Maud T"


async def test_where_parcels_go_is_changed_apart_from_the_address(web: Web) -> None:
    to = {"name": "Jonte", "country": "NL", "street": "Werf 3", "postal_code": "7411 AA", "city": "Deventer"}
    await buy(web.shop, "parcel-month", delivery="post", deliver_to=to)
    await sign_in(web)
    shown = (await mine(web))["address"]["deliver_to"]
    assert (shown["name"], shown["address"]["street"]) == ("Jonte", "Werf 3")
    given = {"name": "Maud", "address": ADDRESS, "deliver_to": {"name": "Jonte", "street": "Laan 9", "city": "Zutphen"}}
    answer = await ask(web, "PUT", "/address", given)
    assert answer.status_code == 422
    assert [one["path"] for one in answer.json()["errors"]] == ["deliver_to.postal_code"]
    given["deliver_to"]["postal_code"] = "7201 AB"  # type: ignore[index]
    assert (await ask(web, "PUT", "/address", given)).status_code == 200
    kept = (await subscription(web.shop)).buyer["deliver_to"]
    assert (kept["country"], kept["street"], kept["postal_code"]) == ("NL", "Laan 9", "7201 AB")


async def test_the_number_that_a_carrier_may_call_is_changed_and_goes_with_the_next_parcel(web: Web) -> None:
    zones = (await configuration.draft(web.shop.context, web.shop.site_id)).parts["delivery", "-"].body["zones"]
    zones[0]["methods"][0]["telephone"] = "asked"
    await edit(web.shop, "delivery", "-", zones=zones)
    await buy(web.shop, "parcel-month", delivery="post", telephone="0570 612345")
    await sign_in(web)
    assert (await mine(web))["address"]["telephone"] == "+31 570 612 345"
    wrong = await ask(web, "PUT", "/address", {"name": "Maud T", "address": ADDRESS, "telephone": "call me"})
    assert [one["path"] for one in wrong.json()["errors"]] == ["telephone"]
    right = {"name": "Maud T", "address": ADDRESS, "telephone": "+49 40 123456"}
    assert (await ask(web, "PUT", "/address", right)).json()["address"]["telephone"] == "+49 40 123456"
    await move(web.shop, "month")
    (_, renewal) = await all_orders(web.shop, (await subscription(web.shop)).id)
    assert renewal.kept.buyer.telephone == "+49 40 123456"
    assert "telephone" not in KeptBuyer.model_validate(renewal.buyer).forgotten().model_dump(exclude_none=True)


async def test_an_old_link_to_a_payment_puts_no_card_on_file(web: Web) -> None:
    await buy(web.shop, "parcel-month")
    row = await subscription(web.shop)
    link = web.shop.context.signer.sign("renewal", {"s": str(web.shop.site_id), "m": "test", "i": str(row.id)})
    body = {"link": link, "way": "standin-cards", "token": await web.shop.cards.token(CARDS["fails_once"])}
    answer = await web.counter.post("/counter/api/renewal-card", json=body, headers=ORIGIN)
    assert (answer.status_code, answer.json()["detail"]) == (409, "There is nothing to pay here now. Reload the page.")
    assert (await subscription(web.shop)).card_ending == "1409"


def test_every_language_has_every_mail_with_the_same_facts() -> None:
    from string import Formatter

    def facts(language: str, kind: str) -> set[str]:
        words = MAILS[language][kind]
        texts = (words.subject, *words.sentences)
        return {name for text in texts for _, name, _, _ in Formatter().parse(text) if name}

    for language in MAILS:
        assert MAILS[language].keys() == MAILS["en"].keys()
        assert PLAIN[language].keys() == PLAIN["en"].keys()
        for kind in MAILS["en"]:
            assert facts(language, kind) == facts("en", kind), (language, kind)
            assert bool(MAILS[language][kind].button) == bool(MAILS["en"][kind].button)


async def test_mails_are_in_the_buyers_language(web: Web) -> None:
    await buy(web.shop, "parcel-month", language="nl-BE")
    subject, text = (await mails_to(web, MAUD))[0]
    assert subject == "[Test] Je Paper parcel"
    assert "Hallo Maud Terlinden," in text
    assert "€ 24,00" in text
