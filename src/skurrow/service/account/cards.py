"""Another card, or another way to pay, for what a customer has."""

from __future__ import annotations

from dataclasses import dataclass, replace
from uuid import UUID

from skurrow.core.subscriptions.life import NotNow
from skurrow.gateway.protocol import Approved, ChargeRequest, Mode, NeedsApproval, NoAnswer, NotAccepted
from skurrow.service import calendars, limits
from skurrow.service.changes.acting import CUSTOMER, Actor, Done
from skurrow.service.changes.agreeing import outcome_of
from skurrow.service.changes.renewing import send
from skurrow.service.context import Context
from skurrow.service.limits import CARDS, CARDS_KEPT
from skurrow.service.orders.attempts import open_attempt
from skurrow.service.payments.gateways import account_of, connections_for, gateway_of
from skurrow.service.payments.ways import CounterWay, kind_of, shown_as, statement_for
from skurrow.service.refusals import Conflict, TooMany
from skurrow.service.subscriptions.happenings import happened
from skurrow.service.subscriptions.standing import life_of, now_at, standing
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.orders import orders
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

# -- a new card, and paying what is open ------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Fields:
    """Where a card or an account can be typed that is kept for later charges."""

    ways: list[CounterWay]


async def fields(context: Context, site_id: UUID, mode: Mode, card: str | None = None) -> Fields:
    """The gateways that keep a card or an account, with their fields."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        edition = (await now_at(context, book)).edition
        rows = await connections_for(book)
    found = []
    for row in rows:
        gateway = gateway_of(context, row)
        if not gateway.abilities.recurring or kind_of(row.adapter) != "fields":
            continue
        reach = context.settings.gateways.get(row.adapter)
        address = gateway.fields_address(context.settings.counter_url, edition.site.site.colour, card)
        label = shown_as(edition, row.adapter)[0]
        found.append(
            CounterWay(
                gateway=row.adapter,
                label=label,
                text="",
                kind="fields",
                waits=gateway.abilities.confirms_later,
                fields_address=address,
                origin=reach.browser if reach is not None else None,
                window=None,
            )
        )
    return Fields(found)


async def new_card(
    context: Context, site_id: UUID, row: SubscriptionRow, gateway: str, token: str, by: Actor = CUSTOMER
) -> Done:
    """Puts another card on file; where a charge has failed, it is paid with it at once. Raises NotNow, Conflict."""
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        connection = await _connection(context, site_id, row, gateway)
        now = await now_at(context, book)
        order = await orders.order_of_period(book, row.id, life_of(row).period)
        if order is not None:
            order = await orders.order_by_id(book, order.id, lock=True)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        life = life_of(found)
        if life.state == "completed":
            raise NotNow("Nothing will be charged any more.")
        if life.charging:
            raise NotNow("A charge is under way. Try again when it is decided.")
        attempt = None
        if life.state == "failing" and order is not None and order.state == "open":
            text = statement_for(now.edition, [found.price], account_of(connection).statement)
            begun = standing(now, found, life.model_copy(update={"charging": True}))
            await subscriptions.save_subscription(db, site_id, begun)
            attempt = await open_attempt(context, book, order, connection, token, {"text": text, "keep": True})
    if attempt is not None:
        assert order is not None
        await send(context, site_id, connection, attempt)
        return await outcome_of(context, site_id, order)
    key = context.new_id()
    return await _keep(context, site_id, row, connection, key, token, by)


async def _keep(
    context: Context, site_id: UUID, row: SubscriptionRow, connection: ConnectionRow, key: UUID, token: str, by: Actor
) -> Done:
    """Has the gateway keep a card without a charge. No money moves, so an answer that is lost loses nothing."""
    request = ChargeRequest(key, 0, row.currency, token, keep=True)
    try:
        answer = await gateway_of(context, connection).charge(request)
    except (NoAnswer, NotAccepted):
        raise Conflict("The payment service does not answer at the moment. Try again.") from None
    if isinstance(answer, NeedsApproval):
        return Done("pending", approve_at=answer.address, key=str(key))
    if isinstance(answer, Approved) and answer.kept is not None:
        await _put_on_file(context, site_id, row, connection, answer, by)
        return Done("now")
    return Done("refused", getattr(answer, "reason", "other"))


async def check_cards(context: Context, row: SubscriptionRow, address: str) -> None:
    """Nobody finds out by trying which of many cards work. Raises TooMany."""
    for limit, who in ((CARDS_KEPT, str(row.id)), (CARDS, address)):
        if await limits.is_over(context, limit, who):
            raise TooMany(limit.words, int(limit.within.total_seconds()))


async def note_card(context: Context, row: SubscriptionRow, address: str, done: Done) -> Done:
    """What came of a card, counted where it was refused."""
    if done.state == "refused":
        await limits.note(context, (CARDS_KEPT, str(row.id)), (CARDS, address))
    return done


async def card_approved(
    context: Context, site_id: UUID, row: SubscriptionRow, gateway: str, key: UUID, by: Actor = CUSTOMER
) -> Done:
    """Whether the buyer has approved at their bank that a card is kept."""
    connection = await _connection(context, site_id, row, gateway)
    try:
        answer = await gateway_of(context, connection).look_up(key)
    except (NoAnswer, NotAccepted):
        return Done("pending", key=str(key))
    if isinstance(answer, Approved) and answer.kept is not None and not answer.amount:
        await _put_on_file(context, site_id, row, connection, answer, by)
        return Done("now")
    if answer is None or isinstance(answer, NeedsApproval):
        return Done("pending", approve_at=answer.address if answer else None, key=str(key))
    return Done("refused", getattr(answer, "reason", "other"))


async def _connection(context: Context, site_id: UUID, row: SubscriptionRow, gateway: str) -> ConnectionRow:
    async with site_transaction(context.pool, site_id) as db:
        for one in await connections_for(Book(db, site_id, row.mode)):
            if one.adapter == gateway and gateway_of(context, one).abilities.recurring:
                return one
    raise Conflict("This way to pay is not offered any more. Reload the page.")


async def _put_on_file(
    context: Context, site_id: UUID, row: SubscriptionRow, connection: ConnectionRow, answer: Approved, by: Actor
) -> None:
    assert answer.kept is not None
    kept = answer.kept
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, row.mode)
        context = await calendars.of_book(context, book)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        now = await now_at(context, book)
        life = life_of(found).model_copy(update={"card_expires": kept.expires})
        found = replace(
            found,
            connection_id=connection.id,
            sealed_on_file=context.vault.seal(kept.token),
            card_ending=kept.ending,
        )
        found = standing(now, found, life)
        await subscriptions.save_subscription(db, site_id, found)
        await happened(context, now, found, "new_card", {"ending": kept.ending, **by.words})
