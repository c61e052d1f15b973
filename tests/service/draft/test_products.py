"""Work on many products at once: copies, order, CSV; and pictures."""

from __future__ import annotations

import io
from typing import Any, get_args

import pytest
from PIL import Image

from skurrow.core.problems import InvalidInput
from skurrow.core.products.product_csv import Import, columns
from skurrow.core.site.stand_in_buyers import CardBehaviour
from skurrow.service.draft import catalogue, configuration, pictures, products
from skurrow.service.refusals import Conflict, NotFound
from tests.conftest import Shop
from tests.service.draft.test_configuration import edit, part
from tests.store.test_separation import picture


async def listed(shop: Shop, kind: str = "product") -> list[str]:
    return [line.id for line in (await catalogue.page(shop.context, shop.site_id, kind, "", None)).lines]


async def test_a_copy_has_names_of_its_own_and_stands_at_the_end(shop: Shop) -> None:
    made = await products.duplicate(shop.context, shop.site_id, None, "product", "paper-parcel")
    assert (made.part_id, made.body["name"]) == ("paper-parcel-2", "Paper parcel, copy")
    assert [price["id"] for price in made.body["prices"]][:2] == ["parcel-month-2", "parcel-quarter-2"]
    assert (await listed(shop))[-1] == "paper-parcel-2"
    again = await products.duplicate(shop.context, shop.site_id, None, "product", "paper-parcel-2")
    assert again.part_id == "paper-parcel-3"
    assert (await products.duplicate(shop.context, shop.site_id, None, "coupon", "BIND10")).part_id == "BIND10-2"
    with pytest.raises(NotFound):
        await products.duplicate(shop.context, shop.site_id, None, "product", "gone")


async def test_a_part_is_put_behind_another_or_first(shop: Shop) -> None:
    before = await listed(shop)
    for name, after in (("foldwright", None), ("coptic-kit", "linen-thread"), ("first-book", "coptic-kit")):
        await products.move(shop.context, shop.site_id, None, "product", name, after)
    assert await listed(shop) == [
        "foldwright",
        "linen-thread",
        "coptic-kit",
        "first-book",
        *(one for one in before if one not in {"foldwright", "linen-thread", "coptic-kit", "first-book"}),
    ]
    state = await configuration.draft(shop.context, shop.site_id)
    shop.context.states._kept.clear()
    anew = await configuration.draft(shop.context, shop.site_id)
    assert state.edition.site == anew.edition.site
    assert state.edition.places == anew.edition.places
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Edited after it was moved"})
    assert (await listed(shop))[2] == "coptic-kit"


async def test_there_is_always_room_between_two(shop: Shop) -> None:
    for n in range(70):  # more halvings than a number has digits
        name = ("foldwright", "marbling")[n % 2]
        await products.move(shop.context, shop.site_id, None, "product", name, "coptic-kit")
    assert (await listed(shop))[:3] == ["coptic-kit", "marbling", "foldwright"]


# -- CSV --------------------------------------------------------------------------------------------------------


async def read(shop: Shop, text: str, seen: int | None = None) -> tuple[int, Import]:
    return await products.from_csv(shop.context, shop.site_id, None, text, seen)


def table(*rows: dict[str, str], sep: str = ",") -> str:
    names = list(dict.fromkeys(name for row in rows for name in row))
    return "\n".join([sep.join(names), *(sep.join(row.get(name, "") for name in names) for row in rows)]) + "\n"


async def test_what_was_written_changes_nothing_when_it_is_read(shop: Shop) -> None:
    text = await products.to_csv(shop.context, shop.site_id)
    assert text.splitlines()[0].split(",") == columns(["EUR", "GBP", "USD", "JPY"])
    demo = (await configuration.draft(shop.context, shop.site_id)).edition.site
    assert len(text.splitlines()) == 1 + sum(len(one.prices) + len(one.variants) for one in demo.products)
    _, found = await read(shop, "\ufeff" + text)
    assert found.problems == []
    assert {row.effect for row in found.rows} == {"same"}
    change, _ = await read(shop, text, seen=1)
    assert change == 1


async def test_a_file_shows_what_each_row_would_do_and_then_does_it(shop: Shop) -> None:
    text = table(
        {"product_id": "coptic-kit", "price_id": "kit", "amount_EUR": "49.00", "product_stock": "-"},
        {"product_id": "awl", "product_name": "Awl", "product_kind": "goods", "price_id": "awl", "amount_EUR": "9.00"},
        {"product_id": "awl", "price_id": "awl-box", "amount_EUR": "80.00", "price_label": "A box of ten"},
        sep=";",
    )
    change, shown = await read(shop, text)
    assert [(row.row, row.effect, row.changes[-1:]) for row in shown.rows] == [
        (2, "changed", ["amount_EUR"]),
        (3, "new", ["amount_EUR"]),
        (4, "new", ["amount_EUR"]),
    ]
    assert (change, (await part(shop)).body["prices"][0]["amount"]["EUR"]) == (1, "48.00")
    assert (await read(shop, text, seen=1))[0] == 2
    kit = (await part(shop)).body
    assert (kit["prices"][0]["amount"], "stock" in kit) == ({"EUR": "49.00", "GBP": "42.00"}, False)
    assert [price["id"] for price in (await part(shop, "awl")).body["prices"]] == ["awl", "awl-box"]
    assert kit["text"], "a cell that is not there changes nothing"
    with pytest.raises(Conflict):
        await read(shop, text.replace("49.00", "50.00"), seen=1)


@pytest.mark.parametrize(
    ("row", "column", "says"),
    [
        ({"amount_EUR": "dear"}, "amount_EUR", "is no amount"),
        ({"amount_EUR": "49,000"}, "amount_EUR", "can be 49000 or 49.000"),
        ({"amount_EUR": "49.001"}, "amount_EUR", "EUR has 2 decimals"),
        ({"amount_EUR": "-"}, "amount_EUR", "is missing"),
        ({"product_weight_g": "heavy"}, "product_weight_g", "no whole number"),
        ({"product_kind": "food"}, "product_kind", "must be"),
        ({"price_kind": "recurring"}, "price_every", "is missing"),
        ({"price_every": "month", "price_kind": "recurring"}, "price_every", "is no duration"),
        ({"price_offered": "maybe"}, "price_offered", "neither yes nor no"),
        ({"price_id": ""}, "price_id", "is missing"),
        (
            {"price_id": "press", "product_id": "new", "product_name": "N", "product_kind": "goods"},
            "",
            "already called",
        ),
        ({"product_id": "bench-press", "price_id": "press-4", "price_offered": "no"}, "", "is kept for those"),
    ],
)
async def test_every_error_stands_in_its_row_and_column(
    shop: Shop, row: dict[str, str], column: str, says: str
) -> None:
    fine = {"product_id": "linen-thread", "price_id": "thread", "amount_EUR": "13.00"}
    wrong = {"product_id": "coptic-kit", "price_id": "kit", "amount_EUR": "48.00", **row}
    _, found = await read(shop, table(fine, wrong).replace("49,000", '"49,000"'), seen=1)
    assert [(one.row, one.column) for one in found.problems][:1] == [(3, column)]
    assert says in found.problems[0].message
    assert (await part(shop, "linen-thread")).change == 1, "nothing is written unless all is right"


async def test_an_amount_with_a_decimal_comma_is_read_as_it_is_meant(shop: Shop) -> None:
    row = {"product_id": "linen-thread", "price_id": "thread", "amount_EUR": "1.013,50"}
    _, found = await read(shop, table(row).replace("1.013,50", '"1.013,50"'), seen=1)
    assert found.problems == []
    assert (await part(shop, "linen-thread")).body["prices"][0]["amount"]["EUR"] == "1013.50"


@pytest.mark.parametrize(
    ("text", "column", "says"),
    [
        ("product_id,price_id,colour\n", "colour", "no column"),
        ("product_id,product_id,price_id\n", "product_id", "comes twice"),
        ("product_id\nkit\n", "price_id", "The column is missing"),
        ("", "product_id", "The column is missing"),
        ("product_id,price_id\nkit,kit,kit\n", "", "has 3 cells"),
        ("product_id,price_id\ncoptic-kit,kit\ncoptic-kit,kit\n", "price_id", "is in row 2 already"),
        ('product_id,price_id\n"kit,kit\n', "", "is not CSV"),
    ],
)
async def test_a_file_that_is_no_table_of_products_says_why(shop: Shop, text: str, column: str, says: str) -> None:
    _, found = await read(shop, text)
    assert (found.problems[0].column, says in found.problems[0].message) == (column, True), found.problems


async def test_a_spreadsheet_never_takes_a_name_for_a_formula(shop: Shop) -> None:
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "=1+1"})
    text = await products.to_csv(shop.context, shop.site_id)
    assert "coptic-kit,'=1+1," in text
    _, found = await read(shop, text)
    assert {row.effect for row in found.rows} == {"same"}


# -- pictures ---------------------------------------------------------------------------------------------------


def photo(size: tuple[int, int] = (4000, 3000), **more: Any) -> bytes:
    """A photo as a telephone takes it: lying on its side, with a place in its metadata."""
    taken = Image.new("RGB", size, "#A23A2A")
    exif = Image.Exif()
    exif[0x0112] = 6  # to be turned
    exif.get_ifd(0x8825)[1] = "N"
    written = io.BytesIO()
    taken.save(written, "JPEG", exif=exif, **more)
    return written.getvalue()


def test_a_picture_is_made_smaller_turned_upright_and_freed_of_metadata() -> None:
    ready = pictures.prepare(photo())
    assert (ready.width, ready.height) == (1200, 1600)
    opened = Image.open(io.BytesIO(ready.content))
    assert (opened.format, opened.size, dict(opened.getexif())) == ("WEBP", (1200, 1600), {})
    assert "exif" not in opened.info


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"GIF89a",
        b"<svg xmlns='http://www.w3.org/2000/svg'/>",
        photo((20, 20))[:200],
        b"x" * (12 * 1024 * 1024 + 1),
    ],
)
def test_what_is_no_picture_is_refused(content: bytes) -> None:
    with pytest.raises(InvalidInput):
        pictures.prepare(content)


def test_a_picture_that_would_fill_the_memory_is_refused_before_it_is_opened() -> None:
    for side in (8000, 20_000):
        written = io.BytesIO()
        Image.new("1", (side, side)).save(written, "PNG")
        assert len(written.getvalue()) < 100_000
        with pytest.raises(InvalidInput, match="pixels"):
            pictures.prepare(written.getvalue())


async def test_a_name_never_means_another_picture(shop: Shop) -> None:
    async def add(name: str, content: bytes) -> str:
        return await pictures.add(shop.context, shop.site_id, None, name, content)

    assert await add("Kit, Moß (1).PNG", picture()) == "kit-mo-1.webp"
    assert await add("Kit, Moß (1).PNG", picture()) == "kit-mo-1.webp", "the same picture once more"
    assert await add("kit mo 1.jpg", photo((60, 40))) == "kit-mo-1-2.webp"
    assert await add("../../../etc/passwd", photo((60, 40))) == "passwd.webp"
    with pytest.raises(NotFound):
        await pictures.content(shop.context, shop.context.new_id(), "kit-mo-1.webp")


def test_a_stand_in_buyer_of_every_card_has_words_in_the_list() -> None:
    assert set(catalogue._CARDS) == set(get_args(CardBehaviour))
