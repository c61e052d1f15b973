"""Invoices and receipts: numbers without gap or double, what they say, and where they are found again."""

from __future__ import annotations

import io
import json
import os
import random
import signal
import subprocess
import sys
import time
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from typing import Any

import pdfplumber
import psycopg
import pytest
from psycopg import errors

from skurrow.run.installation import ROOT
from skurrow.service.counter import paying
from skurrow.service.counter.visit import Choice
from skurrow.service.orders import books
from skurrow.service.papers import papers
from skurrow.service.refusals import NotFound
from skurrow.service.tax import official_rates
from skurrow.standin.numbers import rates_of
from tests.conftest import THOROUGH, Shop
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of
from tests.service.counter.test_selling import go_live, opened, released
from tests.service.tax.test_tax import BELGIAN, HOME, buy, edit_single

COLLECT = Choice(variant="moss", delivery="collect")


async def paper_of(shop: Shop, mode: Any = "test") -> Any:
    order = (await books.page(shop.context, shop.site_id, mode, None, "")).orders[0]
    return (await papers.of_order(shop.context, shop.site_id, mode, order.id))[0]


def year(shop: Shop) -> int:
    return shop.clock().year


def text_of(pdf: bytes) -> str:
    with pdfplumber.open(io.BytesIO(pdf)) as found:
        small = [page.filter(lambda one: one.get("size", 0) < 60) for page in found.pages]  # all but TEST across it
        return "\n".join(page.extract_text() for page in small)


# -- numbers --------------------------------------------------------------------------------------------------------


async def test_each_sale_has_the_next_number_of_its_series_and_book(shop: Shop) -> None:
    refused = await shop.cards.token(NUMBERS["no_funds"])
    assert (await buy(shop, expected="48.00", choice=COLLECT, token=refused)).state == "refused"
    for _ in range(2):
        await buy(shop, expected="48.00", choice=COLLECT)
    business = {"business": True, "company": "Atelier", "address": BELGIAN, "tax_number": "BE0999000030"}
    await buy(shop, "marbling", "BE", "65.29", **business)

    async def numbers(mode: Any) -> list[str]:
        page = await books.page(shop.context, shop.site_id, mode, None, "")
        found = [await books.story(shop.context, shop.site_id, mode, one.code) for one in page.orders]
        return sorted(paper.written for one in found for paper in one.papers)

    now = year(shop)
    assert await numbers("test") == [f"TEST-I-{now}-00001", f"TEST-R-{now}-00001", f"TEST-R-{now}-00002"]
    await released(shop)
    await go_live(shop)
    await buy(shop, expected="48.00", choice=COLLECT, mode="live")
    assert await numbers("live") == [f"R-{now}-00001"], (
        "what was refused has taken no number, and each book counts for itself"
    )
    following = {one.kind: (one.live, one.test) for one in await papers.next_numbers(shop.context, shop.site_id)}
    assert following == {
        "receipt": (f"R-{now}-00002", f"TEST-R-{now}-00003"),
        "invoice": (f"I-{now}-00001", f"TEST-I-{now}-00002"),
        "credit_note": (f"C-{now}-00001", f"TEST-C-{now}-00001"),
    }


async def test_a_new_beginning_is_a_series_of_its_own_and_numbers_begin_anew_with_the_year(shop: Shop) -> None:
    await buy(shop, expected="48.00", choice=COLLECT)
    await edit_single(shop, "papers", receipts="K/{year}/", consumers="receipt")
    await buy(shop, expected="48.00", choice=COLLECT)
    assert (await paper_of(shop)).number == f"TEST-K/{year(shop)}/00001"
    shop.clock.ahead += timedelta(days=366)
    await buy(shop, expected="48.00", choice=COLLECT)
    assert (await paper_of(shop)).number == f"TEST-K/{year(shop)}/00001"
    found = await papers.numbered(shop.context, shop.site_id, "test", f"TEST-K/{year(shop)}/00001")
    assert papers.as_pdf(found).name == f"receipt-TEST-K-{year(shop)}-00001.pdf"
    with pytest.raises(NotFound):
        await papers.numbered(shop.context, shop.site_id, "live", found.number)


def test_the_database_refuses_gaps_doubles_and_changes(shop: Shop) -> None:
    with psycopg.connect(shop.database.owner, autocommit=True) as db:
        values = (shop.site_id,)
        with pytest.raises(errors.IntegrityConstraintViolation, match="goes on with its next number"):
            db.execute("insert into number_series values (%s, 'test', 'X-', 2)", values)
        db.execute("insert into number_series values (%s, 'test', 'X-', 1)", values)
        for last in (1, 3):
            with pytest.raises(errors.IntegrityConstraintViolation, match="goes on with its next number"):
                db.execute("update number_series set last = %s where series = 'X-'", (last,))


async def test_a_paper_stays_as_it_was_given_out(shop: Shop) -> None:
    await buy(shop, expected="48.00", choice=COLLECT)
    with psycopg.connect(shop.database.owner, autocommit=True) as db:
        for change in ("update papers set written = 'X'", "delete from papers"):
            with pytest.raises(errors.IntegrityConstraintViolation):
                db.execute(change)
    before = papers.as_pdf(await paper_of(shop)).content
    await edit_single(shop, "papers", name="Another Name")
    assert papers.as_pdf(await paper_of(shop)).content == before, "byte for byte, whatever the draft says now"


def test_thousands_of_papers_by_eight_writers_of_whom_some_are_killed(shop: Shop) -> None:
    target, alive, killed = 10_000 if THOROUGH else 2_500, 8, 0
    chance = random.Random(5)
    task = {
        "database": shop.database.app,
        "master_key": shop.cards.secrets.master_key,
        "site": str(shop.site_id),
        "change": 1,
    }

    def start() -> subprocess.Popen[bytes]:
        made = subprocess.Popen(
            [sys.executable, "-m", "tests.service.papers.writers"],
            stdin=subprocess.PIPE,
            stdout=subprocess.DEVNULL,
            cwd=ROOT,
            env={**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"},
        )
        assert made.stdin is not None
        made.stdin.write(json.dumps(task).encode() + b"\n")
        made.stdin.flush()
        return made

    writers = [start() for _ in range(alive)]
    try:
        with psycopg.connect(shop.database.superuser, autocommit=True) as db:
            deadline, written = time.monotonic() + 240, 0
            while written < target:
                assert time.monotonic() < deadline, written
                time.sleep(0.5)
                before, written = written, db.execute("select count(*) from papers").fetchone()[0]  # type: ignore[index]
                if written > before and killed < 12:
                    which = chance.randrange(alive)
                    writers[which].send_signal(signal.SIGKILL)
                    writers[which].wait()
                    writers[which] = start()
                    killed += 1
    finally:
        for one in writers:
            one.kill()
            one.wait()
    with psycopg.connect(shop.database.superuser) as db:
        found = db.execute(
            "select p.series, count(*), min(number), max(number), count(distinct number), s.last,"
            " count(*) filter (where o.state <> 'paid') from papers p"
            " join number_series s using (site_id, mode, series) join orders o on o.id = p.order_id"
            " group by p.series, s.last"
        ).fetchall()
        without = db.execute(
            "select count(*) from orders o where not exists (select from papers p where p.order_id = o.id)"
        )
        assert without.fetchone() == (0,)
    assert killed >= 5, "some were killed midway"
    assert len(found) == 2
    for series, count, first, last, distinct, counted, unpaid in found:
        assert (first, count, distinct, counted, unpaid) == (1, last, last, last, 0), series
    assert sum(row[1] for row in found) >= target


# -- what they say --------------------------------------------------------------------------------------------------


async def test_a_receipt_says_who_what_and_how_much(shop: Shop) -> None:
    await buy(shop, address=HOME)
    found = await paper_of(shop)
    text = text_of(papers.as_pdf(found).content)
    for words in (
        "A test: nothing was sold",
        f"Receipt TEST-R-{year(shop)}-00001",
        "Ostrel Bindery B.V.",
        "Spijkergang 12",
        "Tax number NL999900073B17",
        "Brink 3",
        "Coptic stitch kit, Moss",
        "EUR 52.95",
        "VAT NL 21 %, on 43.76 9.19",
        "by card ending in ",
    ):
        assert words in text, words
    assert Decimal(found.net_total) + Decimal(found.tax_total) == Decimal(found.total)


async def test_an_invoice_says_why_there_is_no_tax_and_is_xml_too(shop: Shop) -> None:
    business = {"business": True, "company": "Atelier Łódź", "address": BELGIAN, "tax_number": "BE0999000030"}
    await buy(shop, "marbling", "BE", "65.29", **business)
    found = await paper_of(shop)
    text = text_of(papers.as_pdf(found).content)
    for words in (
        "Reverse charge: the customer is liable for the VAT",
        "Tax number BE0999000030",
        "Atelier Łódź",
        "GENT",
    ):
        assert words in text, words
    xml = papers.as_ubl(found).content.decode()
    assert "VATEX-EU-AE" in xml
    assert "<cbc:CompanyID>BE0999000030</cbc:CompanyID>" in xml


async def in_pounds(shop: Shop) -> None:
    visit = replace(await opened(shop), currency="GBP")
    paid = payment_of("jo@example.org", "Jo", "NL", await shop.cards.token(), "42.00", COLLECT)
    assert (await paying.pay(shop.context, visit, paid)).state == "paid"


async def test_tax_in_another_currency_is_told_at_the_official_rate(shop: Shop) -> None:
    assert await official_rates.fetch(shop.context) > 0
    assert await official_rates.fetch(shop.context) == 0, "what is known is not asked for again"
    await in_pounds(shop)
    found = await paper_of(shop)
    assert found.national is not None
    rate = Decimal(rates_of(found.national.on)["GBP"])
    exact = (Decimal(found.tax_total) / rate).quantize(Decimal("0.01"))
    assert (found.currency, found.national.currency) == ("GBP", "EUR")
    assert abs(Decimal(found.national.tax_total) - exact) <= Decimal("0.01")
    assert f"Tax in EUR: {found.national.tax_total} (1 GBP = " in text_of(papers.as_pdf(found).content)
    shop.clock.ahead += timedelta(days=30)
    await in_pounds(shop)
    assert (await paper_of(shop)).national is None, "a rate of last month is none of this day"


async def test_a_sample_is_made_out_as_the_draft_says(shop: Shop) -> None:
    await edit_single(shop, "papers", name="Sampler Ltd")
    note = text_of(papers.as_pdf(await papers.sample(shop.context, shop.site_id, "credit_note")).content)
    for words in ("Credit note TEST-C-", "Corrects TEST-R-", "Given back"):
        assert words in note, words
    text = text_of(papers.as_pdf(await papers.sample(shop.context, shop.site_id, "invoice")).content)
    for words in ("Sampler Ltd", "Sample & Daughters", "Robin Sample", "Invoice TEST-I-", "A test: nothing was sold"):
        assert words in text, words


async def test_orders_are_found_by_the_number_of_their_paper(shop: Shop) -> None:
    for _ in range(2):
        await buy(shop, expected="48.00", choice=COLLECT)
    found = await books.page(shop.context, shop.site_id, "test", None, "test-r-")
    assert len(found.orders) == 2
    one = await books.page(shop.context, shop.site_id, "test", None, "-00002")
    assert len(one.orders) == 1
