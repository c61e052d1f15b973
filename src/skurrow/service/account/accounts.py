"""The account page: customers sign in with a mailed link, or with a password that is proved to be theirs, and see only
what is theirs.

A link works once and for 20 minutes. A password that was set at a checkout says nothing about whose address it was
typed beside; it is proved when a mailed link is followed in the browser that set it, and dropped when one is followed
elsewhere.
"""

from __future__ import annotations

import contextlib
import secrets
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Literal
from urllib.parse import quote
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.core.papers.papers import Paper
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.subscriptions.life import NotNow
from skurrow.gateway.protocol import Approved, ChargeRequest, Mode, NeedsApproval, NoAnswer, NotAccepted
from skurrow.service import calendars, limits
from skurrow.service.changes.changing import CUSTOMER, Actor, Done, outcome_of
from skurrow.service.changes.renewing import send
from skurrow.service.context import Context
from skurrow.service.counter.visit import read_visit
from skurrow.service.limits import CARDS, CARDS_KEPT, LINK, LINK_ADDRESS
from skurrow.service.mail import mail
from skurrow.service.mail.mail_words import MAILS, language_of, plain
from skurrow.service.orders import settling
from skurrow.service.papers import papers
from skurrow.service.payments.gateways import account_of, connections_for, gateway_of
from skurrow.service.payments.ways import CounterWay, kind_of, shown_as, statement
from skurrow.service.people import passwords, sign_in
from skurrow.service.people.sign_in import Where, hash_password, hash_token
from skurrow.service.refusals import Conflict, NotAllowed, NotFound, TooMany
from skurrow.service.subscriptions import subscription_mail
from skurrow.service.subscriptions.subscribing import happened, life_of, now_at, standing
from skurrow.store.account import accounts
from skurrow.store.account.accounts import Signed
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import attempts, orders
from skurrow.store.payments.connections import ConnectionRow
from skurrow.store.subscriptions import subscriptions
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

LINK_LIFE = timedelta(minutes=20)


SESSION_LIFE = timedelta(days=14)


APART = timedelta(minutes=5)
"""Between two links to one mailbox, once it has had a few: the earlier one is still good."""


@dataclass(frozen=True, slots=True)
class Customer:
    """Who is signed in: at which site, in which of its books."""

    site_id: UUID
    code: str
    mode: Mode
    email: str


@dataclass(frozen=True, slots=True)
class Shop:
    """What an account page shows before anybody has signed in."""

    site_id: UUID
    code: str
    name: str
    url: str
    colour: str
    mode: Mode


async def shop(context: Context, code: str, test: bool) -> Shop:
    """The site of an account page; before it has gone live there is only the test book. Raises NotFound."""
    site_id = None
    if code.isprintable():
        async with siteless_transaction(context.pool) as db:
            site_id = await sites.site_called(db, code)
    if site_id is None:
        raise NotFound("there is no such page")
    async with site_transaction(context.pool, site_id) as db:
        site = await sites.site(db, site_id)
        assert site is not None
        mode: Mode = "test" if test or site.live_since is None else "live"
        edition = (await now_at(context, db, site_id, mode)).edition
    of = edition.site.site
    return Shop(site_id, code, of.name, of.url, of.colour, mode)


async def send_link(context: Context, at: Shop, email: str, language: str | None, address: str) -> None:
    """Mails a link to somebody who has bought something, to their address as it is stored, for whoever asks from an
    `address` on the net. Nothing tells whether they have. Raises TooMany."""
    customer, now = mailbox(email), context.now()
    where = f"{at.site_id} {at.mode} {address}"
    await limits.spend(context, (LINK, f"{customer} from {where}"), (LINK_ADDRESS, where))
    async with site_transaction(context.pool, at.site_id) as db:
        known = await subscriptions.subscriptions_of_customer(db, at.site_id, at.mode, customer)
        if not known:
            return
        lately = await accounts.links_since(db, at.site_id, at.mode, customer, now - timedelta(hours=1))
        if len(lately) >= LINK.most and any(one.used_at is None and one.created_at > now - APART for one in lately):
            return  # whoever asks so often: the link that their mailbox has is still good
        token = secrets.token_urlsafe(24)
        await accounts.add_link(db, at.site_id, hash_token(token), Signed(at.mode, customer, now + LINK_LIFE), now)
        chosen = language_of(language)
        account = subscription_mail.account_address(context, at.code, at.mode)
        # After the sign # nothing is sent to a server, or written into its log.
        link = f"{account}#{quote(token)}"
        hello = plain(chosen, "hello", name=known[0].buyer["name"])
        subject, text, page = subscription_mail.write(
            MAILS[chosen]["sign_in"], {"shop": at.name}, at.name, at.colour, hello, link, "", chosen
        )
        test = "[Test] " if at.mode == "test" else ""
        key = f"account link {hash_token(token).hex()}"
        dated = (await calendars.of_book(context, db, at.site_id, at.mode)).book_now() if test else None
        to = known[0].buyer["email"]
        await mail.put_by(context, db, at.site_id, key, to, f"{test}{subject}", text, page, at.name, dated)


@dataclass(frozen=True, slots=True)
class Entered:
    """The token of a session, and the one by which this browser is known from now on."""

    session: str
    known: str


async def enter(context: Context, at: Shop, token: str, visit: str | None) -> Entered:
    """Signs in with a mailed link. `visit` is the one in which this browser has typed a password at a checkout: it
    counts from now on, unless there is one already. What others have typed beside the address is dropped. Raises
    NotFound for a link that is too old or was used."""
    now = context.now()
    kept = None
    if visit is not None:
        with contextlib.suppress(NotFound):
            kept = read_visit(context, visit)
    async with site_transaction(context.pool, at.site_id) as db:
        found = await accounts.use_link(db, at.site_id, hash_token(token), now)
        if found is None or found.mode != at.mode:
            raise NotFound("this link is too old, or was used before. Ask for a new one")
        typed = await accounts.take_typed(db, at.site_id, at.mode, found.customer)
        mine = next((one for one in typed if kept and (kept.site_id, kept.id) == (at.site_id, one.visit)), None)
        if mine is not None:
            await accounts.keep_first(db, at.site_id, at.mode, found.customer, mine.password_hash, now)
    return await _begin(context, at, found.customer)


async def enter_with_password(context: Context, at: Shop, email: str, password: str, where: Where) -> Entered:
    """Signs in with a password that is proved to be the customer's. Whoever has none is answered as slowly, and as
    often. Raises InvalidInput, TooMany."""
    customer = mailbox(email)
    who = f"{customer} at {at.site_id} {at.mode}"
    tried = sign_in.limits_of(context, who, where, who)
    await limits.spend(context, *tried)
    async with site_transaction(context.pool, at.site_id) as db:
        known = await accounts.password(db, at.site_id, at.mode, customer)
    if not await sign_in.fits(context.lanes.customers, known, password):
        message = "Email and password do not belong together"
        raise InvalidInput([Problem(("password",), message, "Try again, or ask for a link", "wrong")])
    await sign_in.forget_tries(context, tried)
    return await _begin(context, at, customer)


async def set_password(context: Context, who: Customer, session: str, password: str) -> None:
    """Sets the password of somebody who is signed in; their other sessions end. Raises InvalidInput, TooMany."""
    passwords.check(password)
    kept = await context.lanes.customers.run(hash_password, password)
    async with site_transaction(context.pool, who.site_id) as db:
        await accounts.set_password(db, who.site_id, who.mode, who.email, kept, context.now())
        await accounts.end_sessions(db, who.site_id, who.mode, who.email, hash_token(session))


async def who_is(context: Context, at: Shop, session: str | None) -> Customer | None:
    """Whose session it is."""
    if not session:
        return None
    async with site_transaction(context.pool, at.site_id) as db:
        found = await accounts.session(db, at.site_id, hash_token(session), context.now())
    if found is None or found.mode != at.mode:
        return None
    return Customer(at.site_id, at.code, at.mode, found.customer)


async def leave(context: Context, at: Shop, session: str) -> None:
    """Ends a session."""
    async with site_transaction(context.pool, at.site_id) as db:
        await accounts.end_session(db, at.site_id, hash_token(session))


async def has_password(context: Context, who: Customer) -> bool:
    """Whether they can sign in with a password."""
    async with site_transaction(context.pool, who.site_id) as db:
        return await accounts.password(db, who.site_id, who.mode, who.email) is not None


# -- what they see ----------------------------------------------------------------------------------------


async def theirs(context: Context, who: Customer) -> list[SubscriptionRow]:
    """A customer's subscriptions, the newest first."""
    async with site_transaction(context.pool, who.site_id) as db:
        return await subscriptions.subscriptions_of_customer(db, who.site_id, who.mode, who.email)


async def one_of_theirs(context: Context, who: Customer, code: str) -> SubscriptionRow:
    """One of them by its code: that of anybody else does not exist. Raises NotFound."""
    for row in await theirs(context, who):
        if row.code == code:
            return row
    raise NotFound("you have no such subscription")


async def papers_of(context: Context, who: Customer, row: SubscriptionRow) -> list[tuple[UUID, Paper]]:
    """The receipts and invoices of one of them, the newest first, each with its order."""
    async with site_transaction(context.pool, who.site_id) as db:
        charges = await orders.orders_of_subscription(db, who.site_id, who.mode, row.id)
        ids = [*([row.order_id] if row.order_id else []), *[one.id for one in charges]]
        found = []
        for order_id in ids:
            found += [(order_id, paper) for paper in await papers.kept(db, who.site_id, who.mode, order_id)]
    return found[::-1]


Right = Literal["change", "quantity", "pause", "cancel"]


async def check_may(context: Context, who: Customer, right: Right) -> None:
    """Raises NotAllowed where the owner keeps this to themselves."""
    async with site_transaction(context.pool, who.site_id) as db:
        rules = (await now_at(context, db, who.site_id, who.mode)).rules
    if right not in rules.customers_may:
        raise NotAllowed("Ask the shop for this: it is not done here.")


# -- a new card, and paying what is open ------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Fields:
    """Where a card or an account can be typed that is kept for later charges."""

    ways: list[CounterWay]


async def fields(context: Context, site_id: UUID, mode: Mode, card: str | None = None) -> Fields:
    """The gateways that keep a card or an account, with their fields."""
    async with site_transaction(context.pool, site_id) as db:
        edition = (await now_at(context, db, site_id, mode)).edition
        rows = await connections_for(db, site_id, mode)
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
        book = await calendars.of_book(context, db, site_id, row.mode)
        connection = await _connection(book, site_id, row, gateway)
        now = await now_at(book, db, site_id, row.mode)
        order = await orders.order_of_period(db, site_id, row.mode, row.id, life_of(row).period)
        if order is not None:
            order = await orders.order_by_id(db, site_id, row.mode, order.id, lock=True)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        life = life_of(found)
        if life.state == "completed":
            raise NotNow("Nothing will be charged any more.")
        if life.charging:
            raise NotNow("A charge is under way. Try again when it is decided.")
        attempt = None
        if life.state == "failing" and order is not None and order.state == "open":
            text = statement(now.edition.site.site.name, account_of(connection).statement)
            begun = standing(now, found, life.model_copy(update={"charging": True}))
            await subscriptions.save_subscription(db, site_id, begun)
            attempt = await settling.open_attempt(
                book, db, site_id, order, connection, token, {"text": text, "keep": True}
            )
    if attempt is not None:
        assert order is not None
        await send(book, site_id, connection, attempt)
        return await outcome_of(book, site_id, order)
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


async def of_renewal_link(context: Context, token: str) -> tuple[UUID, SubscriptionRow]:
    """The subscription that a mailed link is about, which needs no signing in. Raises NotFound."""
    data = context.signer.read("renewal", token)
    if data is None:
        raise NotFound("there is no such page")
    site_id = UUID(data["s"])
    async with site_transaction(context.pool, site_id) as db:
        row = await subscriptions.subscription(db, site_id, UUID(data["i"]))
    if row is None:
        raise NotFound("there is no such page")
    return site_id, row


@dataclass(frozen=True, slots=True)
class OpenRenewal:
    """A renewal that waits to be paid or approved: what it is for, and where it is approved, if that is asked for."""

    row: SubscriptionRow
    shop: str
    url: str
    colour: str
    total: int
    approve_at: str | None
    state: Literal["approve", "pay", "paid", "over"]


async def pay_renewal(context: Context, site_id: UUID, row: SubscriptionRow, gateway: str, token: str) -> Done:
    """Pays the charge that a mailed link is about with a card that was just typed, which is kept. The link is good for
    nothing else: an old one puts no card on file. Raises Conflict where nothing waits to be paid."""
    if (await open_renewal(context, site_id, row)).state != "pay":
        raise Conflict("There is nothing to pay here now. Reload the page.")
    return await new_card(context, site_id, row, gateway, token)


async def open_renewal(context: Context, site_id: UUID, row: SubscriptionRow) -> OpenRenewal:
    """How the charge stands that a mailed link is about."""
    async with site_transaction(context.pool, site_id) as db:
        now, life = await now_at(context, db, site_id, row.mode), life_of(row)
        order = await orders.order_of_period(db, site_id, row.mode, row.id, life.period)
        tried = [] if order is None else await attempts.attempts_of(db, site_id, row.mode, order.id)
    of = now.edition.site.site
    waiting = next((one for one in tried if one.state == "open"), None)
    state: Literal["approve", "pay", "paid", "over"] = "paid"
    if life.over:
        state = "over"
    elif waiting is not None and waiting.approve_at is not None:
        state = "approve"
    elif life.state == "failing" and order is not None:
        state = "pay"
    total = order.total if order is not None else 0
    return OpenRenewal(row, of.name, of.url, of.colour, total, waiting.approve_at if waiting else None, state)


# -- within -----------------------------------------------------------------------------------------------


async def _begin(context: Context, at: Shop, customer: str) -> Entered:
    now, session = context.now(), secrets.token_urlsafe(32)
    async with site_transaction(context.pool, at.site_id) as db:
        signed = Signed(at.mode, customer, now + SESSION_LIFE)
        await accounts.add_session(db, at.site_id, hash_token(session), signed, now)
    return Entered(session, sign_in.know_browser(context, f"{customer} at {at.site_id} {at.mode}"))


async def _connection(context: Context, site_id: UUID, row: SubscriptionRow, gateway: str) -> ConnectionRow:
    async with site_transaction(context.pool, site_id) as db:
        for one in await connections_for(db, site_id, row.mode):
            if one.adapter == gateway and gateway_of(context, one).abilities.recurring:
                return one
    raise Conflict("This way to pay is not offered any more. Reload the page.")


async def _put_on_file(
    context: Context, site_id: UUID, row: SubscriptionRow, connection: ConnectionRow, answer: Approved, by: Actor
) -> None:
    assert answer.kept is not None
    kept = answer.kept
    async with site_transaction(context.pool, site_id) as db:
        context = await calendars.of_book(context, db, site_id, row.mode)
        found = await subscriptions.subscription(db, site_id, row.id, lock=True)
        assert found is not None
        now = await now_at(context, db, site_id, row.mode)
        life = life_of(found).model_copy(update={"card_expires": kept.expires})
        found = replace(
            found,
            connection_id=connection.id,
            sealed_on_file=context.vault.seal(kept.token),
            card_ending=kept.ending,
        )
        found = standing(now, found, life)
        await subscriptions.save_subscription(db, site_id, found)
        await happened(context, db, site_id, now, found, "new_card", {"ending": kept.ending, **by.words})
