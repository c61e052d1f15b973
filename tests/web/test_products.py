"""What is sold, over HTTP: what the counter is told, and files that go in and out at the desk."""

from __future__ import annotations

import io
import re
from typing import Any

import pytest
from PIL import Image

from tests.service.draft.test_configuration import edit, part
from tests.store.test_separation import picture
from tests.web.conftest import Web
from tests.web.test_counter import boot

SITE = "/desk/api/sites/ostrel"


async def counter(web: Web, checkout: str = "kit", **query: str) -> dict[str, Any]:
    asked = "&".join(f"{name}={value}" for name, value in query.items())
    found: dict[str, Any] = (await boot(web, f"/buy/ostrel-{checkout}?{asked}"))["counter"]
    return found


async def quoted(web: Web, checkout: str = "kit", **choice: Any) -> Any:
    visit = (await counter(web, checkout))["visit"]
    return await web.counter.post("/counter/api/quote", json={"visit": visit, "country": "NL", **choice})


# -- the counter ------------------------------------------------------------------------------------------------


async def test_a_checkout_tells_what_can_be_chosen(web: Web) -> None:
    kit = await counter(web)
    (price,) = kit["prices"]
    assert (price["id"], price["smallest"], price["largest"], price["sold_out"]) == ("kit", 1, 10, False)
    assert [variant["name"] for variant in price["variants"]] == ["Moss", "Chalk", "Indigo"]
    assert price["variants"][0]["picture"]["text"] == "The kit with moss green boards"
    assert (kit["coupons"], kit["coupon"], kit["currency"]) == (True, None, "EUR")
    club = await counter(web, "club")
    assert [(one["label"], one["words"]) for one in club["prices"]] == [
        ("Month by month", "EUR 24.00 every month"),
        ("By the quarter", "EUR 66.00 every 3 months"),
        ("By the year", "EUR 240.00 every year"),
    ]
    assert club["price"] == "parcel-month"
    assert (await counter(web, coupon="bind10"))["coupon"] == "BIND10"


async def test_few_are_counted_and_none_is_sold_out(web: Web) -> None:
    kit = await part(web.shop)
    for stock, left, gone in ((11, None, False), (10, 10, False), (0, 0, True)):
        kit = await edit(web.shop, kit.change, {**kit.body, "stock": stock})
        (price,) = (await counter(web))["prices"]
        assert (price["variants"][0]["left"], price["sold_out"]) == (left, gone)


async def test_a_quote_follows_the_choice(web: Web) -> None:
    two = (await quoted(web, variant="chalk", quantity=2, coupons=["BIND10"])).json()
    assert (two["due_today"], two["discounts"][0]["amount"], two["keeps"]) == ("86.40", "9.60", False)
    year = (await quoted(web, "club", price="parcel-year")).json()
    assert (year["due_today"], year["keeps"], len(year["later"])) == ("240.00", True, 1)
    assert year["plan"] == ["Paper parcel: EUR 240.00 every year, until you cancel."]


@pytest.mark.parametrize(
    ("choice", "path"),
    [
        ({}, "variant"),
        ({"variant": "moss", "delivery": "collect", "quantity": 0}, "quantity"),
        ({"variant": "moss", "delivery": "collect", "quantity": 99}, "quantity"),
        ({"variant": "moss", "delivery": "collect", "coupons": ["NOTHING"]}, "coupons[0]"),
        ({"variant": "moss", "delivery": "collect", "coupons": [""]}, "coupons[0]"),
        ({"variant": "moss", "delivery": "collect", "coupons": ["A"] * 11}, "coupons"),
        ({"variant": "moss", "delivery": "collect", "price": "papers"}, "price"),
        ({"variant": "moss", "delivery": "collect", "colour": "red"}, "colour"),
    ],
)
async def test_a_wrong_choice_is_named(web: Web, choice: dict[str, Any], path: str) -> None:
    answer = await quoted(web, **choice)
    assert (answer.status_code, [error["path"] for error in answer.json()["errors"]]) == (422, [path])


async def test_what_comes_by_itself_is_told_only_where_it_counts(web: Web) -> None:
    await web.sign_in()
    coupon = {"id": "autumn", "percent": "10", "automatic": True, "minimum": {"EUR": "90.00"}}
    await web.desk.put(f"{SITE}/parts/coupon/autumn", json={"seen": 0, "body": coupon})
    one = (await quoted(web, variant="moss", delivery="collect")).json()
    assert (one["due_today"], one["notes"]) == ("48.00", [])
    assert (await quoted(web, variant="moss", delivery="collect", quantity=2)).json()["due_today"] == "86.40"
    typed = (await quoted(web, variant="moss", delivery="collect", coupons=["Autumn"])).json()
    assert [note["code"] for note in typed["notes"]] == ["coupon_minimum"]


# -- pictures ---------------------------------------------------------------------------------------------------


async def upload(web: Web, content: bytes, name: str = "kit.png") -> Any:
    return await web.desk.post(f"{SITE}/pictures", files={"picture": (name, content)})


async def test_a_picture_is_sent_once_and_seen_by_everybody(web: Web) -> None:
    await web.sign_in()
    made = (await upload(web, picture(), "My Kit.PNG")).json()
    assert made["name"] == "my-kit.webp"
    assert (await upload(web, picture(), "My Kit.PNG")).json() == made
    for client in (web.counter, web.desk):
        seen = await client.get(made["address"])
        assert (seen.status_code, seen.headers["content-type"]) == (200, "image/webp")
        assert "immutable" in seen.headers["cache-control"]
        assert seen.headers["x-content-type-options"] == "nosniff"
        assert Image.open(io.BytesIO(seen.content)).size == (40, 30)
    for wrong in ("/pictures/not-a-site/my-kit.webp", made["address"].replace("my-kit", "other")):
        assert (await web.counter.get(wrong)).status_code in {404, 422}


async def test_what_is_no_picture_or_too_large_is_refused_with_a_remedy(web: Web) -> None:
    await web.sign_in()
    answer = await upload(web, b"<svg/>")
    assert (answer.status_code, answer.json()["errors"][0]["path"]) == (422, "picture")
    assert "PNG, JPEG or WebP" in answer.json()["detail"]
    assert (await upload(web, b"x" * (14 * 1024 * 1024))).status_code == 413
    assert (await web.desk.post(f"{SITE}/tapes", content=b"x" * (600 * 1024))).status_code == 413


# -- files ------------------------------------------------------------------------------------------------------


async def test_products_go_out_as_csv_and_come_back_after_a_dry_run(web: Web) -> None:
    await web.sign_in()
    out = await web.desk.get(f"{SITE}/products.csv")
    assert out.headers["content-type"] == "text/csv; charset=utf-8"
    assert 'filename="ostrel-products.csv"' in out.headers["content-disposition"]
    text = re.sub(r"(,kit,once,[^\n]*?,)48\.00,42\.00", r"\g<1>50.00,42.00", out.text)
    shown = (await web.desk.post(f"{SITE}/products.csv", json={"text": text})).json()
    changing = [row for row in shown["rows"] if row["effect"] != "same"]
    assert (shown["done"], [(row["row"], row["changes"]) for row in changing]) == (False, [(2, ["amount_EUR"])])
    done = (await web.desk.post(f"{SITE}/products.csv", json={"text": text, "seen": shown["change"]})).json()
    assert (done["done"], done["change"]) == (True, shown["change"] + 1)
    late = await web.desk.post(f"{SITE}/products.csv", json={"text": text.replace("50.00", "51.00"), "seen": 1})
    assert late.status_code == 409


async def test_the_site_file_goes_out_and_comes_back(web: Web) -> None:
    await web.sign_in()
    out = await web.desk.get(f"{SITE}/site-file")
    assert (out.status_code, 'filename="ostrel.yaml"' in out.headers["content-disposition"]) == (200, True)
    text = out.text.replace("name: Foldwright", "name: Foldwright 2")
    shown = (await web.desk.post(f"{SITE}/site-file", json={"text": text})).json()
    assert [(one["id"], one["what"]) for one in shown["changes"]] == [("foldwright", "changed")]
    assert shown["changes"][0]["differences"] == [{"what": "name", "before": "Foldwright", "after": "Foldwright 2"}]
    done = (await web.desk.post(f"{SITE}/site-file", json={"text": text, "seen": shown["change"]})).json()
    assert done["change"] == shown["change"] + 1
    wrong = await web.desk.post(f"{SITE}/site-file", json={"text": "format: x\n"})
    assert wrong.status_code == 422
    assert {error["path"] for error in wrong.json()["errors"]} >= {"format", "site", "currencies"}


async def test_a_stock_is_counted_with_what_was_seen(web: Web) -> None:
    await web.sign_in()
    seen = (await web.desk.get(f"{SITE}/stock/bench-press")).json()
    assert [(one["mode"], one["remaining"], one["begun"]) for one in seen] == [("test", 6, False), ("live", 6, False)]
    count = {"mode": "test", "seen": 6, "counted": 4}
    after = (await web.desk.post(f"{SITE}/stock/bench-press", json=count)).json()
    assert [(one["remaining"], one["begun"]) for one in after] == [(4, True), (6, False)]
    late = await web.desk.post(f"{SITE}/stock/bench-press", json=count)
    assert (late.status_code, "There are 4 now" in late.json()["detail"]) == (409, True)
    assert (await web.desk.post(f"{SITE}/stock/foldwright", json=count)).status_code == 404
    assert (await web.desk.get(f"{SITE}/stock/nothing")).status_code == 404


async def test_a_tape_tries_prices_variants_and_coupons_and_compares(web: Web) -> None:
    await web.sign_in()

    async def tapes(kind: str, name: str, **tried: Any) -> dict[str, Any]:
        body = {"about": {"kind": kind, "id": name}, "buyers": [{"id": "utrecht"}], **tried}
        found: dict[str, Any] = (await web.desk.post(f"{SITE}/tapes", json=body)).json()
        return found

    def due(found: dict[str, Any]) -> str:
        return str(next(row["amount"] for row in found["tapes"][0]["rows"] if row["kind"] == "due"))

    parcel = await tapes("product", "paper-parcel", price="parcel-year", coupon="PARCEL3")
    assert (parcel["price"], due(parcel)) == ("parcel-year", "120.00")
    assert [one["price"] for one in parcel["choices"]][:2] == ["parcel-month", "parcel-quarter"]
    assert [(one["price"], one["saved"]) for one in parcel["comparisons"]] == [
        ("parcel-quarter", "6.00"),
        ("parcel-year", "48.00"),
    ]
    assert [one["price"] for one in parcel["futures"]][-1] == "parcel-first-members"
    kit = await tapes("product", "coptic-kit", variant="indigo", quantity=3)
    assert (kit["variant"], due(kit), kit["largest"]) == ("indigo", "144.00", 10)
    coupon = await tapes("coupon", "PARCEL3")
    assert (coupon["coupon"], due(coupon)) == ("PARCEL3", "16.95")
    assert [(one["price"], one["first"], one["year"]) for one in coupon["costs"]] == [
        ("parcel-month", "12.00", "36.00"),
        ("parcel-quarter", "33.00", "99.00"),
        ("parcel-year", "120.00", "120.00"),
    ]
    gone = await tapes("product", "coptic-kit", price="nothing", variant="nothing", coupon="nothing")
    assert (gone["price"], gone["variant"], gone["coupon"]) == ("kit", "moss", None)
