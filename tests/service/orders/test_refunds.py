"""Giving money back: once, at most what was paid, with credit note and stock, whatever the gateway does."""

from __future__ import annotations

import asyncio
import uuid
from datetime import date, timedelta
from typing import Any

import httpx
import psycopg
import pytest
from psycopg import errors

from skurrow.core.payments.refunds import Asked
from skurrow.core.problems import InvalidInput
from skurrow.service.orders import asking, refunds
from skurrow.service.papers import papers
from skurrow.service.refusals import Conflict, NotFound
from skurrow.service.tax import reports
from skurrow.store.orders.refunds import RefundRow
from tests.conftest import Shop, eventually
from tests.gateway.test_standin_cards import NUMBERS
from tests.service.counter.test_selling import story
from tests.service.papers.test_papers import text_of
from tests.service.tax.test_tax import HOME, buy


async def bought(shop: Shop, behaviour: str = "approved", **more: Any) -> str:
    """The code of an order of 52.95, 4.95 of which is post, that was paid."""
    token = await shop.cards.token(NUMBERS[behaviour])
    if (await buy(shop, address=HOME, token=token, **more)).state == "pending":
        await settled(shop)
    return (await story(shop)).order.code


async def settled(shop: Shop) -> None:
    """Recovery has asked about everything that is open."""
    shop.clock.ahead += timedelta(minutes=1)

    async def none_open() -> bool:
        await asking.recover(shop.context)
        await refunds.recover(shop.context)
        shop.clock.ahead += timedelta(minutes=11)
        with psycopg.connect(shop.database.superuser) as db:
            found = db.execute(
                "select count(*) from (select state from attempts union all select state from refunds) one"
                " where state = 'open'"
            )
            return found.fetchone() == (0,)

    await eventually(none_open, 30)


async def give(shop: Shop, code: str, expected: str, *asked: Asked, key: uuid.UUID | None = None) -> RefundRow:
    return await refunds.refund(
        shop.context, shop.site_id, shop.person_id, "test", code, key or uuid.uuid4(), asked, expected, " torn "
    )


async def at_gateway(shop: Shop) -> list[str]:
    """The refunds that the gateway has made of the newest charge."""
    told = await story(shop)
    found = []
    async with httpx.AsyncClient(base_url=shop.cards.url, auth=(shop.cards.test.merchant, shop.cards.test.key)) as api:
        for one in told.refunds:
            answer = await api.get(f"/charges/{told.charges[0].attempt_id}/refunds/{one.id}")
            if answer.is_success and answer.json()["outcome"] == "made":
                found.append(answer.json()["amount"])
    return found


async def test_a_line_goes_back_with_its_tax_its_credit_note_and_its_pieces(shop: Shop) -> None:
    code = await bought(shop)
    row = await give(shop, code, "48.00", Asked(0, "48.00", put_back=1))
    assert (row.state, row.amount, row.note, row.by) == ("made", 4800, "torn", shop.person_id)
    told = await story(shop)
    assert [paper.kind for paper in told.papers] == ["receipt", "credit_note"]
    note = papers.of_row(told.papers[1])
    year = shop.clock().year
    assert (note.number, note.corrects, note.total, note.tax_total) == (
        f"TEST-C-{year}-00001",
        f"TEST-R-{year}-00001",
        "48.00",
        "8.33",
    )
    text = text_of(papers.as_pdf(note).content)
    for words in (
        f"Credit note TEST-C-{year}-00001",
        f"Corrects TEST-R-{year}-00001",
        "Given back EUR 48.00",
        "Coptic stitch kit",
    ):
        assert words in text, words
    assert b"<cbc:CreditNoteTypeCode>381<" in papers.as_ubl(note).content
    assert await at_gateway(shop) == ["48.00"]
    with psycopg.connect(shop.database.superuser) as db:
        level = db.execute("select remaining from stock_levels where product_id = 'coptic-kit'").fetchone()
    assert level == (40,), "the piece is back"
    assert [event.kind for event in told.events][-2:] == ["refund.asked", "refund.made"]


async def test_whatever_is_left_goes_back_and_then_nothing_more(shop: Shop) -> None:
    code = await bought(shop)
    await give(shop, code, "20.00", Asked(0, "20.00"))
    left = await refunds.refundable(shop.context, shop.site_id, "test", code)
    assert [(part.line, part.left) for part in left.parts] == [(0, 2800), (None, 495)]
    await give(shop, code, "32.95", Asked(0, "28.00"), Asked(None, "4.95"))
    with pytest.raises(InvalidInput) as refused:
        await give(shop, code, "0.01", Asked(0, "0.01"))
    assert refused.value.problems[0].code == "too_much"
    today = shop.today
    report = await reports.tax_report(shop.context, shop.site_id, "test", today, today)
    assert [(one.paid, one.tax, one.total, one.refunded) for one in report.totals] == [
        ("0.00", "0.00", "0.00", "52.95")
    ]
    assert [(row.base, row.amount) for row in report.rows] == [("0.00", "0.00")]


async def test_a_press_counts_once_however_often_it_arrives(shop: Shop) -> None:
    code, key = await bought(shop), uuid.uuid4()
    rows = await asyncio.gather(*(give(shop, code, "10.00", Asked(0, "10.00"), key=key) for _ in range(6)))
    assert len({row.id for row in rows}) == 1
    for other in (Asked(0, "9.00"), Asked(None, "4.95"), Asked(0, "x")):
        with pytest.raises(Conflict, match=r"This form has been used for 10\.00 EUR before"):
            await give(shop, code, other.amount, other, key=key)
    assert await at_gateway(shop) == ["10.00"]


async def test_two_who_press_at_once_cannot_give_back_more_than_was_paid(shop: Shop) -> None:
    code = await bought(shop)
    results = await asyncio.gather(
        *(give(shop, code, "48.00", Asked(0, "48.00")) for _ in range(4)), return_exceptions=True
    )
    assert sum(isinstance(one, RefundRow) for one in results) == 1
    assert sum(isinstance(one, InvalidInput) for one in results) == 3
    assert await at_gateway(shop) == ["48.00"]


async def test_another_amount_than_was_shown_is_told(shop: Shop) -> None:
    code = await bought(shop)
    with pytest.raises(Conflict, match=r"It comes to 20\.00 EUR now"):
        await give(shop, code, "20.01", Asked(0, "20.00"))
    with pytest.raises(NotFound):
        await refunds.refund(shop.context, shop.site_id, None, "live", code, uuid.uuid4(), [Asked(0, "1.00")], "1.00")
    assert await at_gateway(shop) == []


async def test_a_refund_that_the_gateway_refuses_leaves_everything_as_it_was(shop: Shop) -> None:
    code = await bought(shop, "no_refund")
    row = await give(shop, code, "48.00", Asked(0, "48.00", put_back=1))
    assert (row.state, row.reason) == ("refused", "not_possible")
    told = await story(shop)
    assert [paper.kind for paper in told.papers] == ["receipt"]
    left = await refunds.refundable(shop.context, shop.site_id, "test", code)
    assert left.parts[0].left == 4800


@pytest.mark.parametrize("behaviour", ["cut", "no_answer"])
async def test_a_refund_without_an_answer_is_settled_by_recovery(shop: Shop, behaviour: str) -> None:
    code = await bought(shop, behaviour)
    row = await give(shop, code, "48.00", Asked(0, "48.00"))
    assert row.state == "open"
    left = await refunds.refundable(shop.context, shop.site_id, "test", code)
    assert left.parts[0].left == 0, "what is under way is not given back again"
    await settled(shop)
    told = await story(shop)
    assert [one.state for one in told.refunds] == ["made"]
    assert await at_gateway(shop) == ["48.00"]
    assert [paper.kind for paper in told.papers] == ["receipt", "credit_note"]


async def test_the_database_gives_back_no_more_than_was_charged_and_reopens_nothing(shop: Shop) -> None:
    code = await bought(shop)
    row = await give(shop, code, "48.00", Asked(0, "48.00"))
    copied = (
        "insert into refunds (id, site_id, mode, order_id, charge_id, asked_as, currency, amount, parts, opened_at,"
        " ask_at) select gen_random_uuid(), site_id, %s, order_id, charge_id, gen_random_uuid(), currency, %s, parts,"
        " opened_at, ask_at from refunds where id = %s"
    )
    with psycopg.connect(shop.database.owner, autocommit=True) as db:
        for mode, amount, words in (("test", 496, "more than was charged"), ("live", 1, "of a charge of its order")):
            with pytest.raises(errors.IntegrityConstraintViolation, match=words):
                db.execute(copied, (mode, amount, row.id))
        for change in ("update refunds set state = 'open', closed_at = null", "delete from refunds"):
            with pytest.raises(errors.IntegrityConstraintViolation):
                db.execute(change)


async def test_the_records_of_the_one_stop_shop_know_what_went_back(shop: Shop) -> None:
    await buy(shop, "marbling", "DE", "79.00")
    code = (await story(shop)).order.code
    await give(shop, code, "39.50", Asked(0, "39.50"))
    today = shop.today
    found = await reports.one_stop_records(shop.context, shop.site_id, "test", today - timedelta(days=1), today)
    assert [(one.place, one.kind, one.net, one.tax, one.paid) for one in found] == [
        ("DE", "digital", "66.39", "12.61", "79.00"),
        ("DE", "digital", "-33.19", "-6.31", "-39.50"),
    ]
    assert found[0].paper == f"TEST-R-{today.year}-00001"
    assert found[1].paper == f"TEST-C-{today.year}-00001"
    assert (
        await reports.one_stop_records(shop.context, shop.site_id, "test", date(2020, 1, 1), date(2020, 2, 1))
    ) == []
