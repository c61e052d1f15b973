"""Customers sign in with a mailed link, or with a password that is proved to be theirs.

A link works once and for 20 minutes. A password that was set at a checkout says nothing about whose address it was
typed beside; it is proved when a mailed link is followed in the browser that set it, and dropped when one is followed
elsewhere.
"""

from __future__ import annotations

import contextlib
import secrets
from dataclasses import dataclass, field
from datetime import timedelta
from urllib.parse import quote
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.mailboxes import mailbox
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.quote.kept import KeptBuyer
from skurrow.gateway.protocol import Mode
from skurrow.service import calendars, limits
from skurrow.service.context import Context
from skurrow.service.counter.visit import read_visit
from skurrow.service.draft.configuration import site_called
from skurrow.service.limits import LINK, LINK_ADDRESS
from skurrow.service.mail import letters, mail
from skurrow.service.mail.mail_words import language_of
from skurrow.service.people import passwords, sign_in
from skurrow.service.people.sign_in import Where, hash_password, hash_token
from skurrow.service.refusals import NotFound
from skurrow.service.subscriptions.standing import now_at
from skurrow.store.account import accounts
from skurrow.store.account.accounts import Signed
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import orders
from skurrow.store.subscriptions import subscriptions

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
    edition: Edition = field(repr=False)


async def shop(context: Context, code: str, test: bool) -> Shop:
    """The site of an account page; before it has gone live there is only the test book. Raises NotFound."""
    site_id = await site_called(context, code)
    async with site_transaction(context.pool, site_id) as db:
        site = await sites.site(db, site_id)
        assert site is not None
        mode: Mode = "test" if test or site.live_since is None else "live"
        edition = (await now_at(context, Book(db, site_id, mode))).edition
    of = edition.site.site
    return Shop(site_id, code, of.name, of.url, of.colour, mode, edition)


async def send_link(context: Context, at: Shop, email: str, language: str | None, address: str) -> None:
    """Mails a link to somebody who has bought something, to their address as it is stored, for whoever asks from an
    `address` on the net. Nothing tells whether they have. Raises TooMany."""
    customer, now = mailbox(email), context.now()
    where = f"{at.site_id} {at.mode} {address}"
    await limits.spend(context, (LINK, f"{customer} from {where}"), (LINK_ADDRESS, where))
    async with site_transaction(context.pool, at.site_id) as db:
        book = Book(db, at.site_id, at.mode)
        known = await _known(book, customer)
        if known is None:
            return
        lately = await accounts.links_since(book, customer, now - timedelta(hours=1))
        if len(lately) >= LINK.most and any(one.used_at is None and one.created_at > now - APART for one in lately):
            return  # whoever asks so often: the link that their mailbox has is still good
        token = secrets.token_urlsafe(24)
        await accounts.add_link(db, at.site_id, hash_token(token), Signed(at.mode, customer, now + LINK_LIFE), now)
        chosen = language_of(language)
        account = letters.account_address(context, at.code, at.mode)
        # After the sign # nothing is sent to a server, or written into its log.
        link = f"{account}#{quote(token)}"
        hello = letters.hello(chosen, known.name)
        letter = letters.sign_in(at.edition, chosen, hello, link)
        key = f"account link {hash_token(token).hex()}"
        there = await calendars.of_book(context, book)
        await mail.put_by_for_customer(there, book, at.edition, key, known.email, letter)


async def _known(book: Book, customer: str) -> KeptBuyer | None:
    """Who has bought something with a mailbox, as they were kept last; None where nobody has."""
    plans = await subscriptions.subscriptions_of_customer(book, customer)
    if plans:
        return plans[0].kept_buyer
    bought = await orders.purchases_of(book, customer, 1)
    return bought[0].kept.buyer if bought else None


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
        book = Book(db, at.site_id, at.mode)
        found = await accounts.use_link(db, at.site_id, hash_token(token), now)
        if found is None or found.mode != at.mode:
            raise NotFound("this link is too old, or was used before. Ask for a new one")
        typed = await accounts.take_typed(book, found.customer)
        mine = next((one for one in typed if kept and (kept.site_id, kept.id) == (at.site_id, one.visit)), None)
        if mine is not None:
            await accounts.keep_first(book, found.customer, mine.password_hash, now)
    return await _begin(context, at, found.customer)


async def enter_with_password(context: Context, at: Shop, email: str, password: str, where: Where) -> Entered:
    """Signs in with a password that is proved to be the customer's. Whoever has none is answered as slowly, and as
    often. Raises InvalidInput, TooMany."""
    customer = mailbox(email)
    who = f"{customer} at {at.site_id} {at.mode}"
    tried = sign_in.limits_of(context, who, where, who)
    await limits.spend(context, *tried)
    async with site_transaction(context.pool, at.site_id) as db:
        known = await accounts.password(Book(db, at.site_id, at.mode), customer)
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
        book = Book(db, who.site_id, who.mode)
        await accounts.set_password(book, who.email, kept, context.now())
        await accounts.end_sessions(book, who.email, hash_token(session))


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
        return await accounts.password(Book(db, who.site_id, who.mode), who.email) is not None


# -- within -----------------------------------------------------------------------------------------------


async def _begin(context: Context, at: Shop, customer: str) -> Entered:
    now, session = context.now(), secrets.token_urlsafe(32)
    async with site_transaction(context.pool, at.site_id) as db:
        signed = Signed(at.mode, customer, now + SESSION_LIFE)
        await accounts.add_session(db, at.site_id, hash_token(session), signed, now)
    return Entered(session, sign_in.know_browser(context, f"{customer} at {at.site_id} {at.mode}"))
