"""A site as a text file: written back byte for byte, loaded all or nothing, refused where the site has moved on."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path
from typing import Any

import psycopg
import pytest

from skurrow.core.problems import InvalidInput
from skurrow.core.site import file as site_file
from skurrow.core.site import text as site_text
from skurrow.run.installation import ROOT
from skurrow.service.draft import configuration, pictures, site_files
from skurrow.service.draft.site_files import Applied
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.states import assemble
from tests.conftest import Shop
from tests.service.draft.test_configuration import edit, part
from tests.store.test_separation import picture

DEMO = (ROOT / "demo" / "site.yaml").read_text()


async def apply(shop: Shop, text: str, **more: Any) -> Applied:
    return await site_files.apply(shop.context, shop.site_id, shop.person_id, text, more.pop("files", {}), **more)


async def export(shop: Shop) -> str:
    return await site_files.export(shop.context, shop.site_id)


def told(done: Applied) -> list[tuple[str, str, str]]:
    return [(one.kind, one.part_id, one.what) for one in done.changes]


async def head(shop: Shop) -> int:
    return (await configuration.draft(shop.context, shop.site_id)).change


async def test_the_demo_is_a_site_file_and_comes_back_byte_for_byte(shop: Shop) -> None:
    assert await export(shop) == DEMO
    again = await apply(shop, DEMO)
    assert (again.changes, await head(shop)) == ([], 1), "the same file once more changes nothing"
    commented = DEMO + "# one more remark\n"
    assert told(await apply(shop, commented)) == []
    assert (await export(shop), await head(shop)) == (commented, 2)


async def test_after_an_edit_at_the_desk_the_text_is_canonical_and_says_the_same(shop: Shop) -> None:
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Renamed: “kit”, no. 2"})
    text = await export(shop)
    state = await configuration.draft(shop.context, shop.site_id)
    data = site_file.read(text).data
    assert data.pop("change") == state.change == 2
    assert data == assemble(list(state.parts.values()))
    assert text == await export(shop)
    assert (await apply(shop, text)).changes == []
    assert await export(shop) == text, "byte for byte the same after an apply"


async def test_what_would_change_is_shown_first_and_nothing_is_written(shop: Shop) -> None:
    text = DEMO.replace('EUR: "48.00", GBP: "42.00"', 'EUR: "49.00", GBP: "42.00"').replace(
        '  - {id: FIVER, amount: {EUR: "5.00"}, minimum: {EUR: "40.00"}, combine: false}\n',
        '  - {id: NEW, percent: "5"}\n',
    )
    shown = await apply(shop, text, show_only=True)
    assert told(shown) == [
        ("product", "coptic-kit", "changed"),
        ("coupon", "NEW", "new"),
        ("coupon", "FIVER", "archived"),
    ]
    assert [(d.what, d.before, d.after) for d in shown.changes[0].differences] == [("price kit, EUR", "48.00", "49.00")]
    assert (shown.change, await head(shop), await export(shop)) == (1, 1, DEMO)
    assert (await apply(shop, text, seen=shown.change)).change == 2
    state = await configuration.draft(shop.context, shop.site_id)
    assert state.edition.prices["kit"].amounts["EUR"] == 4900
    assert list(state.edition.coupons) == ["BIND10", "NEW", "PARCEL3"]
    gone = state.parts["coupon", "FIVER"]
    assert gone.body is None, "archived, and its earlier revision is still there"


async def test_a_file_from_before_others_edits_is_refused(shop: Shop) -> None:
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Renamed"})
    exported = await export(shop)
    thread = await part(shop, "linen-thread")
    await edit(shop, thread.change, {**thread.body, "name": "Somebody else's edit"}, "linen-thread")
    with pytest.raises(Conflict, match="exported at change 2, and the draft is at 3"):
        await apply(shop, exported.replace("Renamed", "Mine"))
    assert (await part(shop, "linen-thread")).body["name"] == "Somebody else's edit"
    with pytest.raises(Conflict, match="edited while you looked"):
        await apply(shop, DEMO, seen=2)
    fresh = (await export(shop)).replace("Renamed", "Mine")
    assert (await apply(shop, fresh)).change == 4
    assert (await apply(shop, fresh.replace("Mine", "Mine again"))).change == 5, "one's own file may go on"


async def test_two_files_of_the_same_export_do_not_take_each_other_back(shop: Shop) -> None:
    kit = await part(shop)
    await edit(shop, kit.change, {**kit.body, "name": "Renamed"})
    exported = await export(shop)
    hers = exported.replace('EUR: "48.00", GBP: "42.00"', 'EUR: "49.00", GBP: "42.00"')
    assert (hers != exported, (await apply(shop, hers)).change) == (True, 3)
    with pytest.raises(Conflict, match=r"exported at change 2, and the draft is at 3.*take back.*product coptic-kit"):
        await apply(shop, exported.replace("Renamed", "His"))
    assert (await part(shop)).body["name"] == "Renamed"
    assert await export(shop) == hers, "nothing was written"
    both = hers.replace("Renamed", "His")
    assert (await apply(shop, both)).change == 4, "a file that holds what was applied since may go on"
    meant = exported.replace("change: 2", "change: 4").replace("Renamed", "His")
    assert told(await apply(shop, meant)) == [("product", "coptic-kit", "changed")], "and who means it says so"


async def test_a_wrong_file_changes_nothing_and_tells_every_error(shop: Shop) -> None:
    wrong = DEMO.replace('kind: once, amount: {EUR: "12.00"}', "kind: onse, amount: {EUR: 12.00}")
    with pytest.raises(InvalidInput) as refused:
        await apply(shop, wrong)
    assert {p.where for p in refused.value.problems} == {
        "products[1].prices[0].kind",
        "products[1].prices[0].amount.EUR",
    }
    assert all(p.line for p in refused.value.problems)
    assert await head(shop) == 1


async def test_the_order_of_a_list_is_that_of_the_file(shop: Shop) -> None:
    data = site_file.read(DEMO).data
    data["checkouts"] = data["checkouts"][::-1]
    moved = await apply(shop, site_text.write(data))
    assert {what for _, _, what in told(moved)} == {"moved"}
    state = await configuration.draft(shop.context, shop.site_id)
    assert list(state.edition.checkouts) == [one["id"] for one in data["checkouts"]]
    with psycopg.connect(shop.database.superuser) as db:
        kept = db.execute("select count(*) from part_revisions where change = %s", (moved.change,)).fetchone()
    assert kept == (len(moved.changes),)


async def test_pictures_come_along_or_are_asked_for(shop: Shop) -> None:
    seats = "    stock: 8\n"
    spoken = DEMO.replace(seats, seats + "    picture: {name: bench.webp, text: A bench}\n")
    with pytest.raises(InvalidInput) as refused:
        await apply(shop, spoken)
    assert [(p.where, p.message) for p in refused.value.problems] == [
        ("products[7].picture.name", "There is no picture “bench.webp”")
    ]
    with pytest.raises(NotFound):
        await pictures.content(shop.context, shop.site_id, "bench.webp")
    await apply(shop, spoken, files={"bench.webp": picture()})
    assert (await pictures.content(shop.context, shop.site_id, "bench.webp"))[:4] == b"RIFF"


# -- the command line -------------------------------------------------------------------------------------------


def command(shop: Shop, *arguments: str, answer: str = "") -> subprocess.CompletedProcess[str]:
    settings = shop.context.settings
    environment = {
        "SKURROW_DATABASE_URL": settings.database_url,
        "SKURROW_MASTER_KEYS": ",".join(settings.master_keys),
        "SKURROW_DESK_URL": settings.desk_url,
        "SKURROW_COUNTER_URL": settings.counter_url,
        "SKURROW_EVENTS_URL": settings.events_url,
        "SKURROW_STANDIN_CARDS_API": shop.cards.url,
        "SKURROW_STANDIN_CARDS_BROWSER": "http://cards.localhost",
    }
    return subprocess.run(
        [str(ROOT / "skurrow"), *arguments],
        input=answer,
        env={**os.environ, **environment},
        capture_output=True,
        text=True,
        check=False,
    )


async def test_the_command_line_shows_asks_applies_and_writes_back(shop: Shop, tmp_path: Path) -> None:
    assert command(shop, "export").stdout == DEMO
    file = tmp_path / "site.yaml"
    file.write_text(DEMO.replace('EUR: "12.00"', 'EUR: "13.00"'))
    (tmp_path / "pictures").mkdir()
    shown = command(shop, "apply", str(file), "--show", "--site", "ostrel")
    assert shown.stdout == ("product linen-thread (Linen thread set): changed\n    price thread, EUR: 12.00 → 13.00\n")
    refused = command(shop, "apply", str(file), answer="n\n")
    assert (refused.returncode, await head(shop)) == (1, 1)
    agreed = command(shop, "apply", str(file), answer="y\n")
    assert (agreed.returncode, agreed.stdout.splitlines()[-1]) == (
        0,
        "Make it the draft? [y/N]: The draft is at change 2.",
    )
    assert command(shop, "export", "--site", "ostrel").stdout == file.read_text()
    file.write_text(file.read_text() + "change: 1\nnonsense: 1\n")
    wrong = command(shop, "apply", str(file), "--yes")
    assert (wrong.returncode, '"path": "nonsense"' in wrong.stdout) == (2, True)
    file.write_text(DEMO + "change: 1\n")
    late = command(shop, "apply", str(file), "--yes")
    assert (late.returncode, "exported at change 1, and the draft is at 2" in late.stderr) == (2, True)
    assert "There is no site “elsewhere”" in command(shop, "export", "--site", "elsewhere").stderr
