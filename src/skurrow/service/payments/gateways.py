"""Connecting gateways, and asking them whether they answer."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import datetime
from uuid import UUID

from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.site.checkouts import Checkout
from skurrow.gateway.protocol import Account, Credentials, Gateway, Mode, NoAnswer, NotAccepted
from skurrow.gateway.registry import ABILITIES, NAMES, account_from, make_gateway
from skurrow.service.context import Context
from skurrow.service.refusals import NotFound
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.payments import connections, gateway_events
from skurrow.store.payments.connections import ConnectionRow


@dataclass(frozen=True, slots=True)
class Answer:
    """What came of asking a gateway: the account, or why there is none; and when it last sent an event."""

    asked_at: datetime
    account: Account | None
    problem: str | None
    last_event_at: datetime | None


async def connected(context: Context, site_id: UUID) -> list[ConnectionRow]:
    """The connected gateways of both modes."""
    async with site_transaction(context.pool, site_id) as db:
        return await connections.current_connections(db, site_id)


async def waiting(context: Context, site_id: UUID) -> dict[UUID, int]:
    """How many charges each connection is still asked about."""
    async with site_transaction(context.pool, site_id) as db:
        return await gateway_events.waiting_at(db, site_id)


async def disconnect(context: Context, site_id: UUID, connection_id: UUID) -> None:
    """Ends a connection: nobody pays through it any more. Raises NotFound.

    What is open is still asked about, and what was paid can still be given back: its key is kept, sealed, for that.
    """
    async with site_transaction(context.pool, site_id) as db:
        if not await connections.end_connection(db, site_id, connection_id, context.now()):
            raise NotFound("there is no such connection")
    context.usable.clear()


async def connect(context: Context, site_id: UUID, adapter: str, mode: Mode, credentials: Credentials) -> ConnectionRow:
    """Connects a gateway after it has answered. Raises InvalidInput naming the field to mend."""
    if adapter not in NAMES:
        raise NotFound("there is no such gateway")
    gateway = make_gateway(adapter, context.http, context.settings.gateways.get(adapter), mode, credentials)
    by_person = ABILITIES[adapter].by_person
    new_id = context.new_id()
    events_url = _events_url(context, new_id)
    try:
        account = await gateway.account()
        if account.mode != mode:
            message = f"This is a key for {account.mode} mode"
            raise InvalidInput([Problem(("key",), message, f"Paste the key for {mode} mode", "wrong_mode")])
        secret = await gateway.register_events(events_url)
    except NotAccepted as error:
        if by_person:
            raise InvalidInput([Problem(("key",), str(error), "Compare it with your bank's papers", "unfit")]) from None
        message = f"{NAMES[adapter]} does not know this merchant with this key"
        raise InvalidInput([Problem(("key",), message, "Copy both again from its page", "not_accepted")]) from None
    except NoAnswer as error:
        message = f"{NAMES[adapter]} does not answer ({error})"
        raise InvalidInput([Problem((), message, "Nothing was changed; try again in a moment", "no_answer")]) from None
    row = ConnectionRow(
        id=new_id,
        mode=mode,
        adapter=adapter,
        merchant=credentials.merchant,
        sealed_key=context.vault.seal(credentials.key),
        sealed_event_secret=context.vault.seal(secret),
        events_url=events_url,
        account=asdict(account),
        connected_at=context.now(),
    )
    async with site_transaction(context.pool, site_id) as db:
        await connections.add_connection(db, site_id, row)
    context.usable.clear()
    return row


async def ask(context: Context, site_id: UUID, connection_id: UUID) -> Answer:
    """Asks a connected gateway whether it answers, and has its events sent where we are now."""
    async with site_transaction(context.pool, site_id) as db:
        row = await connections.connection_by_id(db, site_id, connection_id)
        last = await gateway_events.last_event_at(db, site_id, connection_id)
    if row is None:
        raise NotFound("there is no such connection")
    gateway = gateway_of(context, row)
    try:
        account = await gateway.account()
        url = _events_url(context, row.id)
        if account_of(row) != account:
            async with site_transaction(context.pool, site_id) as db:
                await connections.renew_account(db, site_id, row.id, asdict(account))
            context.usable.clear()
        if row.events_url != url:
            sealed = context.vault.seal(await gateway.register_events(url))
            async with site_transaction(context.pool, site_id) as db:
                await connections.renew_events_address(db, site_id, row.id, url, sealed)
    except NotAccepted:
        return Answer(context.now(), None, "It no longer accepts this key. Connect it again.", last)
    except NoAnswer as error:
        return Answer(context.now(), None, f"It does not answer ({error}).", last)
    return Answer(context.now(), account, None, last)


async def connections_for(book: Book) -> list[ConnectionRow]:
    """The gateways that buyers of a mode may be charged through, as they were connected."""
    return [row for row in await connections.current_connections(book.db, book.site_id) if row.mode == book.mode]


async def connections_at(book: Book, checkout: Checkout) -> list[ConnectionRow]:
    """The same, of those that a checkout offers."""
    return [row for row in await connections_for(book) if checkout.takes(row.adapter)]


def account_of(row: ConnectionRow) -> Account:
    """What the gateway said of itself when it was last asked."""
    return account_from(row.account)


def gateway_of(context: Context, row: ConnectionRow) -> Gateway:
    """The gateway behind a stored connection."""
    mode: Mode = "live" if row.mode == "live" else "test"
    credentials = Credentials(row.merchant, context.vault.open(row.sealed_key))
    return make_gateway(row.adapter, context.http, context.settings.gateways.get(row.adapter), mode, credentials)


def _events_url(context: Context, connection_id: UUID) -> str:
    return f"{context.settings.events_url}/gateway-events/{connection_id}"
