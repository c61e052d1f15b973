"""Ways to pay other than a card at once: off-site, days later, by bank transfer, on invoice, on collection; and what
limits against fraud make of an order."""

from __future__ import annotations

import asyncio
from dataclasses import replace
from datetime import timedelta
from typing import Any
from urllib.parse import parse_qs, urlsplit

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.order import Buyer, QuoteRefused
from skurrow.core.payments.refunds import Asked
from skurrow.core.payments.transfers import Expected, Incoming, match
from skurrow.gateway.protocol import Credentials
from skurrow.service.counter import confirmation, opening, paying, pricing, progress, returning
from skurrow.service.counter.progress import Progress
from skurrow.service.counter.visit import Choice, Visit, held_visit, read_visit, signed
from skurrow.service.draft import configuration
from skurrow.service.draft.configuration import edition_at
from skurrow.service.orders import asking, books, holding, refunds, settling, transfers
from skurrow.service.orders.attempts import APPROVING
from skurrow.service.papers import papers
from skurrow.service.payments import gateways, reconciling
from skurrow.service.refusals import Closed, Conflict, NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import attempts
from tests.conftest import Shop, eventually
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of
from tests.service.counter.test_selling import opened, story
from tests.service.statements import camt, mt940

COLLECT = Choice(variant="moss", delivery="collect")
POST = Choice(variant="moss", delivery="post")


@pytest.fixture
async def all_ways(shop: Shop) -> Shop:
    """The demo with everything connected for test."""
    for adapter, credentials in shop.cards.installation.test_gateways().items():
        if adapter != "standin-cards":
            await gateways.connect(shop.context, shop.site_id, adapter, "test", credentials)
    return shop


async def pressed(shop: Shop, visit: Visit, way: str, token: str | None = None, **more: Any) -> Progress:
    typed = {"email": "jo@example.org", "choice": COLLECT, "address_seen": "203.0.113.9", "expected": "48.00", **more}
    return await paying.pay(
        shop.context, visit, payment_of(name="Jo", token=token, way=way, **{"country": "NL", **typed})
    )


async def draft_payments(shop: Shop, **body: Any) -> None:
    state = await configuration.draft(shop.context, shop.site_id)
    seen = state.parts["payments", "-"].change
    await configuration.edit_part(shop.context, shop.site_id, None, "payments", "-", seen, body)


async def order_state(shop: Shop) -> str:
    return (await story(shop)).order.state


async def left(shop: Shop) -> int | None:
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        state = await configuration.draft(shop.context, shop.site_id)
        edition = await edition_at(shop.context, db, shop.site_id, state.change)
        found = await holding.left_of(Book(db, shop.site_id, "test"), edition, ["coptic-kit"])
        return holding.most_of(edition, found, "kit", "moss")


async def asked_again(shop: Shop, visit: Visit, state: str) -> None:
    async def is_so() -> bool:
        shop.clock.ahead += settling.WAITING
        await asking.recover(shop.context)
        return (await progress.progress(shop.context, visit)).state == state

    await eventually(is_so)


# -- at the counter ---------------------------------------------------------------------------------------


async def test_ways_come_in_the_owners_order_and_under_their_names(all_ways: Shop) -> None:
    await draft_payments(
        all_ways,
        ways=[
            {"gateway": "transfer", "label": "Vooraf overmaken", "text": "Binnen tien dagen."},
            {"gateway": "standin-cards"},
        ],
    )
    counter = await opening.open_counter(all_ways.context, "ostrel-kit")
    assert [(one.gateway, one.label, one.text, one.kind, one.waits) for one in counter.pay] == [
        ("transfer", "Vooraf overmaken", "Binnen tien dagen.", "person", True),
        ("standin-cards", "Card", "", "fields", False),
    ]
    assert counter.pay[0].fields_address is None
    assert str(counter.pay[1].fields_address).startswith("http://cards.localhost:8401/fields?")


@pytest.mark.parametrize(
    ("country", "choice", "offered"),
    [
        ("NL", COLLECT, ["standin-cards", "standin-wallet", "standin-debit", "transfer", "collection"]),
        ("NL", POST, ["standin-cards", "standin-wallet", "standin-debit", "transfer"]),
        ("GB", POST, ["standin-cards", "standin-wallet"]),
        ("NL", replace(COLLECT, quantity=3), ["standin-cards", "standin-wallet", "standin-debit", "transfer", "invoice",
                                              "collection"]),
    ],
)  # fmt: skip
async def test_what_is_offered_follows_country_amount_and_delivery(
    all_ways: Shop, country: str, choice: Choice, offered: list[str]
) -> None:
    visit = await opened(all_ways)
    priced = await pricing.quote_visit(all_ways.context, visit, Buyer(country=country), choice)
    assert await pricing.ways_to_pay(all_ways.context, visit, priced, country) == offered


async def test_a_way_that_does_not_fit_is_refused_by_name_and_nothing_is_stored(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    with pytest.raises(QuoteRefused) as refused:
        await pressed(all_ways, visit, "invoice")
    (problem,) = refused.value.problems
    assert (problem.where, problem.message) == ("way", "On invoice: Only from 100.00 EUR on.")
    with pytest.raises(QuoteRefused, match="not offered any more"):
        await pressed(all_ways, visit, "cheque")
    assert (await progress.progress(all_ways.context, visit)).state == "none"


async def test_where_nothing_fits_nothing_is_taken(shop: Shop) -> None:
    await draft_payments(shop, ways=[{"gateway": "standin-cards", "countries": ["BE"]}])
    visit = await opened(shop)
    with pytest.raises(Closed, match="cannot be paid here"):
        await pressed(shop, visit, None, await shop.cards.token())  # type: ignore[arg-type]


# -- off-site ---------------------------------------------------------------------------------------------


async def at_the_wallet(shop: Shop, address: str | None, answer: str) -> str:
    """Decides at the wallet's page; returns where the buyer is sent."""
    async with httpx.AsyncClient(base_url=shop.cards.api("wallet")) as buyer:
        sent = await buyer.post(urlsplit(address or "").path, data={"answer": answer})
    return str(sent.headers.get("location", ""))


async def test_a_buyer_leaves_for_the_wallet_pays_and_is_sent_back_to_their_visit(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    leaving = await pressed(all_ways, visit, "standin-wallet")
    assert (leaving.state, leaving.off_site, leaving.way) == ("pending", True, "standin-wallet")
    assert str(leaving.approve_at).startswith("http://wallet.localhost:8407/approvals/")
    assert await left(all_ways) == 39, "it is held meanwhile"
    back = urlsplit(await at_the_wallet(all_ways, leaving.approve_at, "pay"))
    assert (back.netloc, back.path) == ("counter.localhost:8400", "/buy/ostrel-kit")
    (token,) = parse_qs(back.query)["back"]
    await asked_again(all_ways, visit, "paid")
    assert await told_by(all_ways, token) == "paid"
    told = await story(all_ways)
    assert told.paid_by == "Stand-in Wallet"
    assert told.papers[0].document["payment"]["way"] == "Stand-in Wallet"


@pytest.mark.parametrize(("answer", "reason"), [("cancel", "not_approved"), ("empty", "no_funds")])
async def test_who_does_not_pay_at_the_wallet_pays_by_card_under_the_same_order(
    all_ways: Shop, answer: str, reason: str
) -> None:
    visit = await opened(all_ways)
    leaving = await pressed(all_ways, visit, "standin-wallet")
    await at_the_wallet(all_ways, leaving.approve_at, answer)
    await asked_again(all_ways, visit, "refused")
    assert (await progress.progress(all_ways.context, visit)).reason == reason
    assert await left(all_ways) == 40
    paid = await pressed(all_ways, visit, "standin-cards", await all_ways.cards.token())
    assert paid.state == "paid"
    assert [one.state for one in (await story(all_ways)).attempts] == ["refused", "paid"]


async def test_what_is_given_up_is_dead_at_the_wallet_too(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    leaving = await pressed(all_ways, visit, "standin-wallet")
    given_up = await paying.give_up(all_ways.context, visit)
    assert (given_up.state, given_up.reason) == ("refused", "given_up")
    async with httpx.AsyncClient(base_url=all_ways.cards.api("wallet")) as buyer:
        assert "Nothing was paid" in (await buyer.get(urlsplit(str(leaving.approve_at)).path)).text
    await at_the_wallet(all_ways, leaving.approve_at, "pay")
    assert (await progress.progress(all_ways.context, visit)).state == "refused"


async def test_what_was_paid_meanwhile_is_not_given_up(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    leaving = await pressed(all_ways, visit, "standin-wallet")
    await at_the_wallet(all_ways, leaving.approve_at, "pay_and_stay")
    assert (await paying.give_up(all_ways.context, visit)).state == "paid"


async def test_nothing_is_given_up_that_nobody_knows_the_outcome_of(shop: Shop) -> None:
    visit = await opened(shop)
    assert (await paying.give_up(shop.context, visit)).state == "none"
    waiting = await pressed(shop, visit, "standin-cards", await shop.cards.token(NUMBERS["no_answer"]))
    assert waiting.state == "pending"
    with pytest.raises(Conflict, match="has not answered yet"):
        await paying.give_up(shop.context, visit)


# -- direct debit -----------------------------------------------------------------------------------------


async def test_a_direct_debit_is_accepted_now_and_paid_in_days(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    token = await all_ways.cards.account_token("confirmed")
    accepted = await pressed(all_ways, visit, "standin-debit", token)
    assert accepted.state == "waiting"
    page = await confirmation.confirmation(all_ways.context, str(accepted.confirmation))
    assert page.awaited is not None
    assert (page.awaited.gateway, page.awaited.due_on, page.awaited.transfer) == ("standin-debit", None, None)
    assert page.awaited.expected_on is not None
    two_days_on = (all_ways.clock() + timedelta(days=2)).date()
    assert page.awaited.expected_on >= two_days_on, "by the gateway's own calendar, which is Greenwich's"
    assert (await pressed(all_ways, visit, "standin-debit", token)).state == "waiting", "another press asks nothing new"
    assert await order_state(all_ways) == "waiting"
    await all_ways.cards.days_pass(3)
    await asked_again(all_ways, visit, "paid")
    told = await story(all_ways)
    assert told.paid_by == "direct debit from the account ending in 3001"
    assert [one.kind for one in told.events] == [
        "order.placed", "charge.attempted", "order.waiting", "charge.made", "order.paid"
    ]  # fmt: skip
    page = await confirmation.confirmation(all_ways.context, str(accepted.confirmation))
    assert (page.order.state, page.awaited) == ("paid", None)


async def test_a_returned_direct_debit_opens_the_order_again(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    accepted = await pressed(all_ways, visit, "standin-debit", await all_ways.cards.account_token("returned"))
    assert await left(all_ways) == 39
    await all_ways.cards.days_pass(3)
    await asked_again(all_ways, visit, "refused")
    assert (await progress.progress(all_ways.context, visit)).reason == "returned"
    assert await order_state(all_ways) == "open"
    assert await left(all_ways) == 40
    page = await confirmation.confirmation(all_ways.context, str(accepted.confirmation))
    assert page.order.state == "open", "its page says that it waits no more"
    assert (await pressed(all_ways, visit, "standin-cards", await all_ways.cards.token())).state == "paid"


async def test_a_closed_account_is_refused_at_once(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    refused = await pressed(all_ways, visit, "standin-debit", await all_ways.cards.account_token("closed"))
    assert refused == Progress("refused", "closed")


async def test_a_debit_that_the_bank_takes_back_later_is_told_as_a_lost_dispute(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    await pressed(all_ways, visit, "standin-debit", await all_ways.cards.account_token("returned_late"))
    await all_ways.cards.days_pass(3)
    await asked_again(all_ways, visit, "paid")
    await all_ways.cards.days_pass(6)
    key = all_ways.cards.installation.test_gateways()["standin-debit"]
    async with httpx.AsyncClient(base_url=all_ways.cards.api("debit"), auth=(key.merchant, key.key)) as api:

        async def taken_back() -> bool:
            found = (await api.get("/disputes")).json()
            mine = str((await story(all_ways)).attempts[0].id)
            return any((one["charge"], one["outcome"], one["reason"]) == (mine, "lost", "returned") for one in found)

        await eventually(taken_back)


# -- bank transfer ----------------------------------------------------------------------------------------


async def by_transfer(shop: Shop) -> tuple[Visit, Any]:
    """An order that waits for a transfer, and what its buyer is shown."""
    visit = await opened(shop)
    waiting = await pressed(shop, visit, "transfer")
    assert waiting.state == "waiting"
    page = await confirmation.confirmation(shop.context, str(waiting.confirmation))
    assert page.awaited is not None
    return visit, page


async def upload(shop: Shop, content: bytes) -> transfers.Taken:
    return await transfers.take_statement(shop.context, shop.site_id, "test", "day.xml", content, shop.person_id)


async def aside(shop: Shop) -> list[Any]:
    return (await transfers.page(shop.context, shop.site_id, "test", None, True))[0]


async def test_a_buyer_is_shown_where_to_pay_what_with_which_reference(all_ways: Shop) -> None:
    _, page = await by_transfer(all_ways)
    slip = page.awaited.transfer
    assert (slip.amount, slip.currency, slip.holder) == ("48.00", "EUR", "Ostrel Bindery")
    assert slip.iban == "NL51 ZZZZ 0123 4567 89"
    assert slip.reference.replace(" ", "").endswith(page.order.code)
    assert slip.qr.startswith("data:image/svg+xml")
    assert page.awaited.due_on == all_ways.today + timedelta(days=10)


@pytest.mark.parametrize("written", [camt, mt940])
async def test_a_statement_pays_the_order_that_its_reference_names(all_ways: Shop, written: Any) -> None:
    _, page = await by_transfer(all_ways)
    content = written([("48.00", page.awaited.transfer.reference, "J. Jansen")])
    assert (await upload(all_ways, content)).matched == 1
    told = await story(all_ways)
    assert (told.order.state, told.paid_by) == ("paid", "bank transfer")
    assert [(one.state, one.order_code) for one in told.transfers] == [("matched", page.order.code)]
    again = await upload(all_ways, content)
    assert (again.entries, again.new, again.matched) == (1, 0, 0), "an entry counts once"
    assert len((await story(all_ways)).charges) == 1


@pytest.mark.parametrize(("amount", "reason"), [("47.99", "under"), ("50.00", "over")])
async def test_another_amount_is_set_aside_for_a_person(all_ways: Shop, amount: str, reason: str) -> None:
    _, page = await by_transfer(all_ways)
    taken = await upload(all_ways, camt([(amount, page.awaited.transfer.reference, "J. Jansen")]))
    assert (taken.matched, taken.aside) == (0, 1)
    assert [(one.reason, one.order_code) for one in await aside(all_ways)] == [(reason, page.order.code)]
    assert await order_state(all_ways) == "waiting"


async def test_two_payments_that_make_up_the_amount_pay_together(all_ways: Shop) -> None:
    _, page = await by_transfer(all_ways)
    reference = page.awaited.transfer.reference
    await upload(all_ways, camt([("30.00", reference, "J. Jansen")]))
    assert (await upload(all_ways, camt([("18.00", reference, "J. Jansen")], day="2026-11-03"))).matched == 1
    told = await story(all_ways)
    assert told.order.state == "paid"
    assert [one.state for one in told.transfers] == ["matched", "matched"]


async def test_too_much_is_taken_by_a_person_and_a_second_payment_is_set_aside(all_ways: Shop) -> None:
    _, page = await by_transfer(all_ways)
    reference = page.awaited.transfer.reference
    await upload(all_ways, camt([("50.00", reference, "J. Jansen")]))
    (over,) = await aside(all_ways)
    await transfers.decide(
        all_ways.context, all_ways.site_id, "test", over.id, "take", None, "2.00 go back", all_ways.person_id
    )
    told = await story(all_ways)
    assert (told.order.state, told.charges[0].amount) == ("paid", 4800)
    assert (told.transfers[0].note, told.transfers[0].decided_by) == ("2.00 go back", "Noor Vermaat")
    await upload(all_ways, camt([("48.00", reference, "J. Jansen")], day="2026-11-04"))
    (double,) = await aside(all_ways)
    assert double.reason == "double"
    for decision in ("take", "done"):
        if decision == "take":
            with pytest.raises(Conflict, match="does not wait for a transfer"):
                await transfers.decide(
                    all_ways.context, all_ways.site_id, "test", double.id, "take", None, "", all_ways.person_id
                )
        else:
            await transfers.decide(
                all_ways.context, all_ways.site_id, "test", double.id, "done", None, "given back", all_ways.person_id
            )
    assert await aside(all_ways) == []
    with pytest.raises(Conflict, match="has decided"):
        await transfers.decide(
            all_ways.context, all_ways.site_id, "test", double.id, "done", None, "", all_ways.person_id
        )


async def test_what_names_no_order_is_given_to_one_by_a_person(all_ways: Shop) -> None:
    _, page = await by_transfer(all_ways)
    await upload(all_ways, camt([("48.00", "thanks for the kit", "J. Jansen"), ("9.00", page.order.code, "Somebody")]))
    unknown, under = sorted(await aside(all_ways), key=lambda one: -one.amount)
    assert (unknown.reason, under.reason) == ("unknown", "under")
    by = all_ways.person_id
    with pytest.raises(NotFound):
        await transfers.decide(all_ways.context, all_ways.site_id, "test", unknown.id, "take", "NOSUCH23", "", by)
    with pytest.raises(Conflict, match=r"39\.00 EUR are missing"):
        await transfers.decide(all_ways.context, all_ways.site_id, "test", under.id, "take", None, "", by)
    code = page.order.code.lower()
    await transfers.decide(all_ways.context, all_ways.site_id, "test", unknown.id, "take", code, "", by)
    assert await order_state(all_ways) == "paid"


async def test_an_order_that_is_not_paid_in_time_waits_no_more(all_ways: Shop) -> None:
    visit, page = await by_transfer(all_ways)
    assert await left(all_ways) == 39
    all_ways.clock.ahead += timedelta(days=9)
    await asking.recover(all_ways.context)
    assert (await progress.progress(all_ways.context, visit)).state == "waiting"
    all_ways.clock.ahead += timedelta(days=2)
    await asking.recover(all_ways.context)
    assert (await progress.progress(all_ways.context, visit)).reason == "not_paid"
    assert await left(all_ways) == 40
    await upload(all_ways, camt([("48.00", page.awaited.transfer.reference, "J. Jansen")]))
    assert [one.reason for one in await aside(all_ways)] == ["late"]


async def test_who_waits_for_a_transfer_can_pay_by_card_instead(all_ways: Shop) -> None:
    visit, _ = await by_transfer(all_ways)
    assert (await paying.give_up(all_ways.context, visit)).reason == "given_up"
    assert (await pressed(all_ways, visit, "standin-cards", await all_ways.cards.token())).state == "paid"


async def test_a_transfer_is_given_back_by_hand_and_its_papers_follow(all_ways: Shop) -> None:
    _, page = await by_transfer(all_ways)
    await upload(all_ways, camt([("48.00", page.awaited.transfer.reference, "J. Jansen")]))
    asked = [Asked(0, "48.00")]
    row = await refunds.refund(
        all_ways.context, all_ways.site_id, all_ways.person_id, "test", page.order.code, page.order.id, asked, "48.00"
    )
    assert (row.state, row.gateway_reference) == ("made", "by hand")
    assert [one.kind for one in (await story(all_ways)).papers] == ["receipt", "credit_note"]


@pytest.mark.parametrize(
    ("iban", "says"),
    [("NL52ZZZZ0123456789", "no IBAN"), ("", "no IBAN"), ("NL51ZZZZ0123456789 BIC 1", "no BIC")],
)
async def test_an_account_that_cannot_be_is_not_connected(shop: Shop, iban: str, says: str) -> None:
    with pytest.raises(Exception, match=says):
        await gateways.connect(shop.context, shop.site_id, "transfer", "test", Credentials("Ostrel", iban))


async def test_without_an_account_no_statement_is_taken(shop: Shop) -> None:
    with pytest.raises(Conflict, match="No bank account is connected"):
        await upload(shop, camt([("1.00", "x", "y")]))


# -- by hand ----------------------------------------------------------------------------------------------


async def on_invoice(shop: Shop) -> str:
    visit = await opened(shop)
    address = {"street": "Kade 1", "postal_code": "7411 AA", "city": "Deventer"}
    done = await pressed(
        shop, visit, "invoice", choice=replace(COLLECT, quantity=3), expected="144.00", business=True,
        company="Bindwerk", address=address,
    )  # fmt: skip
    assert done.state == "waiting"
    with pytest.raises(Conflict, match="Ask the shop"):
        await paying.give_up(shop.context, visit)
    return (await story(shop)).order.code


async def test_an_order_on_invoice_has_its_invoice_at_once_and_is_marked_as_paid(all_ways: Shop) -> None:
    code = await on_invoice(all_ways)
    told = await story(all_ways)
    assert told.awaited is not None
    assert (told.awaited.by, told.awaited.overdue) == ("person", False)
    assert [(one.kind, one.document["payment"]) for one in told.papers] == [("invoice", None)]
    all_ways.clock.ahead += timedelta(days=31)
    await asking.recover(all_ways.context)
    told = await story(all_ways)
    assert told.awaited is not None
    assert told.awaited.overdue, "it is overdue, and nobody gives it up by itself"
    await settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, True, "cash")
    told = await story(all_ways)
    assert (told.order.state, told.charges[0].amount, len(told.papers)) == ("paid", 14400, 1)
    with pytest.raises(Conflict, match="does not wait"):
        await settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, True, "")


async def test_an_invoice_that_will_not_be_paid_is_cancelled_with_a_credit_note(all_ways: Shop) -> None:
    code = await on_invoice(all_ways)
    await settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, False, "")
    told = await story(all_ways)
    assert told.order.state == "cancelled"
    invoice, note = [one.document for one in told.papers]
    assert (note["kind"], note["corrects"]) == ("credit_note", invoice["number"])
    assert [note[name] for name in ("total", "tax_total")] == [invoice[name] for name in ("total", "tax_total")]
    assert await left(all_ways) == 40


async def test_the_night_compares_no_books_where_there_are_none(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    await pressed(all_ways, visit, "collection")
    code = (await story(all_ways)).order.code
    await settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, True, "")
    all_ways.clock.ahead += timedelta(days=2)
    while await reconciling.compare_due(all_ways.context):
        pass
    rows = {row.adapter: row for row in await gateways.connected(all_ways.context, all_ways.site_id)}
    assert await reconciling.last(all_ways.context, all_ways.site_id, rows["collection"].id) is None
    found = await reconciling.last(all_ways.context, all_ways.site_id, rows["standin-wallet"].id)
    assert found is not None
    assert found.differences == []
    with pytest.raises(Conflict, match="no other books"):
        await reconciling.compare(all_ways.context, all_ways.site_id, rows["transfer"].id)


async def test_who_waits_for_days_can_still_choose_another_way(all_ways: Shop) -> None:
    began, page = await by_transfer(all_ways)
    all_ways.clock.ahead += timedelta(days=5)
    token = context_token(all_ways, page.order.id)
    later = await confirmation.confirmation(all_ways.context, token)
    assert await told_by(all_ways, later.back) == "waiting"
    kept = signed(all_ways.context, began)  # as the buyer's browser has it
    with pytest.raises(NotFound):
        read_visit(all_ways.context, kept)
    visit = held_visit(all_ways.context, kept)
    assert (await paying.give_up(all_ways.context, visit)).reason == "given_up"
    fresh = (await opening.open_counter(all_ways.context, "ostrel-kit")).visit
    counter, stands = await returning.come_back(all_ways.context, later.back, fresh, kept)
    assert (counter.visit, stands.state) == (fresh, "refused"), "the form begins afresh"
    again = read_visit(all_ways.context, counter.visit)
    assert (await pressed(all_ways, again, "standin-cards", await all_ways.cards.token())).state == "paid"


async def told_by(shop: Shop, back: str) -> str:
    """What somebody who has nothing but the way back is told of an order; the visit that they get is none of it."""
    fresh = (await opening.open_counter(shop.context, "ostrel-kit")).visit
    counter, found = await returning.come_back(shop.context, back, fresh, None)
    assert counter.visit == fresh
    with pytest.raises(NotFound):
        held_visit(shop.context, back)
    return found.state


def context_token(shop: Shop, order_id: Any) -> str:
    """The token of an order's own page."""
    return shop.context.signer.sign("confirmation", {"s": str(shop.site_id), "m": "test", "o": str(order_id)})


async def test_what_is_paid_on_collection_waits_for_a_person(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    assert (await pressed(all_ways, visit, "collection")).state == "waiting"
    with pytest.raises(NotFound):
        await settling.settle_by_hand(all_ways.context, all_ways.site_id, "live", "X", all_ways.person_id, True, "")
    code = (await story(all_ways)).order.code
    await settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, True, "")
    assert (await progress.progress(all_ways.context, visit)).state == "paid"
    assert (await story(all_ways)).papers[0].document["payment"]["way"] == "payment on collection"


# -- limits against fraud -----------------------------------------------------------------------------------


async def test_an_order_above_a_limit_is_paid_and_held_until_a_person_lets_it_through(shop: Shop) -> None:
    await draft_payments(shop, guards=[{"above": {"EUR": "40.00"}}])
    visit = await opened(shop)
    assert (await pressed(shop, visit, "standin-cards", await shop.cards.token())).state == "paid"
    told = await story(shop)
    assert told.review is not None
    assert (told.review.state, told.review.reasons) == ("open", ["The order is above 40.00 EUR."])
    code = told.order.code
    page = await books.page(shop.context, shop.site_id, "test", None, "", "held")
    assert [one.code for one in page.orders] == [code]
    stages = (await configuration.site_state(shop.context, shop.site_id)).stages
    assert [(one.words, one.attention) for one in stages if one.stage == "orders"] == [("1 held order", 1)]
    await books.decide_review(shop.context, shop.site_id, "test", code, "passed", shop.person_id)
    told = await story(shop)
    assert told.review is not None
    assert (told.review.state, told.review.decided_by) == ("passed", "Noor Vermaat")
    with pytest.raises(Conflict):
        await books.decide_review(shop.context, shop.site_id, "test", code, "given_back", shop.person_id)


async def test_a_card_of_another_country_is_evidence_and_can_be_refused(shop: Shop) -> None:
    await draft_payments(shop, guards=[{"another_country": True, "then": "refuse"}])
    visit = await opened(shop)
    foreign = await shop.cards.token(NUMBERS["elsewhere"])
    assert await pressed(shop, visit, "standin-cards", foreign) == Progress("refused", "not_taken")
    told = await story(shop)
    assert (told.attempts, told.order.buyer["evidence"]["card"]) == ([], "US")
    assert told.events[-1].body == {"reasons": ["The card is from US, the buyer from NL."]}
    assert await left(shop) == 40
    assert (await pressed(shop, visit, "standin-cards", await shop.cards.token())).state == "paid"


@pytest.mark.parametrize(("by", "word"), [("card", "card"), ("address", "connection"), ("buyer", "buyer")])
async def test_tries_are_counted_by_card_connection_and_buyer(shop: Shop, by: str, word: str) -> None:
    await draft_payments(shop, guards=[{"tries": 2, "by": by, "hours": 24, "then": "refuse"}])

    async def tried(n: int) -> Progress:
        token = await shop.cards.token(NUMBERS["no_funds" if by == "card" or n < 3 else "approved"])
        email = "jo@example.org" if by == "buyer" else f"jo{n}@example.org"
        address = "203.0.113.9" if by == "address" else f"203.0.113.{n}"
        return await pressed(
            shop, await opened(shop), "standin-cards", token, email=email, address_seen=address
        )  # fmt: skip

    assert [(await tried(n)).reason for n in range(3)] == ["no_funds"] * 3
    assert (await tried(3)).reason == "not_taken"
    found = (await books.page(shop.context, shop.site_id, "test", None, "")).orders[0]
    events = (await books.story(shop.context, shop.site_id, "test", found.code)).events
    assert word in events[-1].body["reasons"][0]
    shop.clock.ahead += timedelta(hours=25)
    assert (await tried(4)).reason != "not_taken", "what is longer ago does not count"


async def test_what_was_seen_of_a_buyer_is_of_no_use_to_whoever_reads_the_database(shop: Shop) -> None:
    await draft_payments(shop, guards=[{"another_country": True}])
    await pressed(shop, await opened(shop), "standin-cards", await shop.cards.token())
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        order = (await story(shop)).order
        (attempt,) = await attempts.attempts_of(Book(db, shop.site_id, "test"), order.id)
    seen = [attempt.card_seen, attempt.address_seen, attempt.buyer_seen]
    assert all(one is not None and len(one) == 32 for one in seen)
    assert len(set(seen)) == 3
    assert not any("203.0.113.9" in str(one) or "jo@" in str(one) for one in seen)


# -- what may happen at once, or stop half-way -----------------------------------------------------------------


async def test_what_a_person_and_a_statement_say_at_once_pays_once(all_ways: Shop) -> None:
    """Both are told of one order by the same lock: neither waits for ever, and one charge is made."""
    _, page = await by_transfer(all_ways)
    code, by = page.order.code, all_ways.person_id
    content = camt([("48.00", page.awaited.transfer.reference, "J. Jansen")])
    told = await asyncio.gather(
        *(upload(all_ways, content) for _ in range(3)),
        *(settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, by, True, "") for _ in range(3)),
        return_exceptions=True,
    )
    assert not [one for one in told if isinstance(one, BaseException) and not isinstance(one, Conflict)], told
    found = await story(all_ways)
    assert (found.order.state, len(found.charges), len(found.papers)) == ("paid", 1, 1)
    assert [one.state for one in found.transfers] in (["matched"], ["aside"])


async def test_money_that_a_person_has_seen_before_its_statement_came_is_not_taken_for_a_second_payment(
    all_ways: Shop,
) -> None:
    _, page = await by_transfer(all_ways)
    code, reference = page.order.code, page.awaited.transfer.reference
    await settling.settle_by_hand(all_ways.context, all_ways.site_id, "test", code, all_ways.person_id, True, "seen")
    assert (await upload(all_ways, camt([("48.00", reference, "J. Jansen")]))).matched == 1
    assert await aside(all_ways) == []
    await upload(all_ways, camt([("48.00", reference, "J. Jansen")], day="2026-11-20"))
    assert [one.reason for one in await aside(all_ways)] == ["double"]
    found = await story(all_ways)
    assert (len(found.charges), [one.state for one in found.transfers]) == (1, ["matched", "aside"])


async def test_a_transfer_is_still_found_after_the_account_was_turned_off(all_ways: Shop) -> None:
    _, page = await by_transfer(all_ways)
    rows = {row.adapter: row for row in await gateways.connected(all_ways.context, all_ways.site_id)}
    await gateways.disconnect(all_ways.context, all_ways.site_id, rows["transfer"].id)
    assert (await upload(all_ways, camt([("48.00", page.awaited.transfer.reference, "J. Jansen")]))).matched == 1
    assert await order_state(all_ways) == "paid"


async def test_a_statement_and_a_buyer_who_gives_up_at_once_never_disagree(all_ways: Shop) -> None:
    """Whichever comes first: the order is paid by the transfer, or open with the transfer set aside as too late."""
    for n in range(6):
        visit, page = await by_transfer(all_ways)
        content = camt([("48.00", page.awaited.transfer.reference, "J. Jansen")], day=f"2026-11-{n + 1:02}")
        await asyncio.gather(upload(all_ways, content), paying.give_up(all_ways.context, visit))
        found = await books.story(all_ways.context, all_ways.site_id, "test", page.order.code)
        (line,) = found.transfers
        assert (found.order.state, line.state, line.reason) in [("paid", "matched", None), ("open", "aside", "late")]
        assert "charge.contradicted" not in [one.kind for one in found.events]


async def test_an_order_that_was_held_and_came_to_nothing_waits_for_nobody(shop: Shop) -> None:
    await draft_payments(shop, guards=[{"above": {"EUR": "40.00"}}])
    refused = await pressed(shop, await opened(shop), "standin-cards", await shop.cards.token(NUMBERS["lost"]))
    assert refused.state == "refused"
    page = await books.page(shop.context, shop.site_id, "test", None, "", "held")
    assert (page.orders, (await books.page(shop.context, shop.site_id, "test", None, "")).held) == ([], set())


async def test_two_people_decide_about_one_transfer_once(all_ways: Shop) -> None:
    _, page = await by_transfer(all_ways)
    await upload(all_ways, camt([("50.00", page.awaited.transfer.reference, "J. Jansen")]))
    (over,) = await aside(all_ways)
    by = all_ways.person_id
    decisions: list[Any] = ["take", "done", "take", "done"]
    told = await asyncio.gather(
        *(
            transfers.decide(all_ways.context, all_ways.site_id, "test", over.id, one, None, one, by)
            for one in decisions
        ),
        return_exceptions=True,
    )
    assert sum(one is None for one in told) == 1
    assert all(isinstance(one, Conflict) for one in told if one is not None), told
    found = await story(all_ways)
    assert (found.order.state == "paid") == (found.transfers[0].state == "matched")


async def test_a_statement_that_stops_half_way_is_taken_up_where_it_stopped(
    all_ways: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The process dies while the second of three orders is being paid: the first stays, the others come next time."""
    references = [(await by_transfer(all_ways))[1].awaited.transfer.reference for _ in range(3)]
    content = camt([("48.00", reference, "J. Jansen") for reference in references])
    real, calls = papers.issue, 0

    async def dies(*arguments: Any, **more: Any) -> None:
        nonlocal calls
        calls += 1
        if calls == 2:
            raise ZeroDivisionError
        await real(*arguments, **more)

    monkeypatch.setattr(papers, "issue", dies)
    with pytest.raises(ZeroDivisionError):
        await upload(all_ways, content)
    page = await books.page(all_ways.context, all_ways.site_id, "test", None, "")
    assert sorted(one.state for one in page.orders) == ["paid", "waiting", "waiting"]
    monkeypatch.setattr(papers, "issue", real)
    again = await upload(all_ways, content)
    assert (again.entries, again.new, again.matched) == (3, 2, 2)
    page = await books.page(all_ways.context, all_ways.site_id, "test", None, "")
    assert [one.state for one in page.orders] == ["paid"] * 3


async def test_a_wallet_that_does_not_answer_is_asked_again_with_the_same_way_back(all_ways: Shop) -> None:
    visit = await opened(all_ways)
    key = all_ways.cards.installation.test_gateways()["standin-wallet"]
    async with httpx.AsyncClient(base_url=all_ways.cards.api("wallet"), auth=(key.merchant, key.key)) as api:
        await api.put("/faults", json={"error": 1})
        try:
            assert (await pressed(all_ways, visit, "standin-wallet")).approve_at is None
        finally:
            await api.put("/faults", json={})
    all_ways.clock.ahead += APPROVING
    await asking.recover(all_ways.context)
    leaving = await progress.progress(all_ways.context, visit)
    assert leaving.off_site
    back = await at_the_wallet(all_ways, leaving.approve_at, "pay")
    await asked_again(all_ways, visit, "paid")
    assert await told_by(all_ways, parse_qs(urlsplit(back).query)["back"][0]) == "paid"


@given(st.lists(st.tuples(st.integers(1, 6000), st.sampled_from([0, 0, 0, 1])), min_size=1, max_size=8))
def test_whatever_comes_in_an_order_is_paid_by_what_was_due_and_no_more(found: list[tuple[int, int]]) -> None:
    """A model of the statement's way through the core: what is matched adds up to the order exactly once."""
    due, before, state = 4800, 0, "waiting"
    taken: list[int] = []
    for amount, other in found:
        told = match(
            Incoming(amount, "EUR", ""), {"A": Expected("A", due, "EUR", state, before)}, [] if other else ["A"]  # type: ignore[arg-type]
        )  # fmt: skip
        if told.aside is None:
            taken += [amount]
            assert before + amount == due
            state, before = "paid", 0
        elif told.aside == "under":
            before += amount
            assert before < due
        else:
            assert told.aside == ("unknown" if other else "double" if state == "paid" else "over")
    assert len(taken) <= 1
