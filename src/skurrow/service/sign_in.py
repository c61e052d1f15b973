"""Signing in to the desk: Argon2 for passwords, an optional second step, opaque session tokens, a limit on failures."""

from __future__ import annotations

import asyncio
import hashlib
import secrets
from datetime import timedelta
from functools import cache
from uuid import UUID

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError

from skurrow.service import two_step
from skurrow.service.context import Context
from skurrow.service.refusals import NotFound, TooMany
from skurrow.store import people
from skurrow.store.database import siteless_statement, siteless_transaction
from skurrow.store.people import Membership, Person, SessionRow

SESSION_LIFE = timedelta(days=14)
WINDOW = timedelta(minutes=15)
MOST_OF_BOTH, MOST_OF_EMAIL, MOST_OF_ADDRESS = 5, 50, 30
"""Failures within the window after which no more tries are taken: of one email from one address, of one email
from anywhere, from one address."""

_HASHER = PasswordHasher()


def hash_password(password: str) -> str:
    """The Argon2id hash of a password."""
    return _HASHER.hash(password)


SEEN_EVERY = timedelta(minutes=5)
"""How exactly it is known when a session was last used."""


class SecondStep(Exception):
    """The password is right, and a code is needed as well; `wrong` says that one was given and does not fit."""

    def __init__(self, wrong: bool) -> None:
        super().__init__("a code is needed")
        self.wrong = wrong


async def sign_in(
    context: Context, email: str, password: str, address: str, code: str | None = None, agent: str = ""
) -> str | None:
    """A new session's token, or None for a wrong email or password.

    Raises TooMany after too many failures, SecondStep where a code is needed or does not fit.
    """
    await note_try(context, email, address)
    async with siteless_transaction(context.pool) as db:
        person = await people.person_by_email(db, email)
    right = await fits(person.password_hash if person else None, password)
    if person is None or not right:
        return None
    if person.sealed_totp is not None and not (code and await two_step.fits(context, person, code)):
        raise SecondStep(wrong=bool(code))
    return await begin_session(context, person.id, email, agent)


async def note_try(context: Context, who: str, address: str) -> None:
    """Notes a try as failed before it is made, one after the other, so that a thousand at once are limited too. `who`
    is an email, or whatever else names who wants in; it need not exist. Raises TooMany."""
    now = context.now()
    async with siteless_transaction(context.pool) as db:
        await people.one_sign_in_at_a_time(db)
        failures = await people.sign_in_failures(db, who, address, now - WINDOW)
        if (
            failures.of_both >= MOST_OF_BOTH
            or failures.of_email >= MOST_OF_EMAIL
            or failures.of_address >= MOST_OF_ADDRESS
        ):
            raise TooMany("Too many failed sign-ins. Wait a quarter of an hour.", int(WINDOW.total_seconds()))
        await people.add_sign_in_failure(db, who, address, now)


async def forget_tries(context: Context, who: str) -> None:
    """Somebody has shown who they are: what was noted of them is forgotten."""
    async with siteless_transaction(context.pool) as db:
        await people.forget_sign_in_failures(db, context.now() - WINDOW, who)


async def fits(password_hash: str | None, password: str) -> bool:
    """Whether a password is right; where there is none, that takes as long as a wrong one."""
    return await asyncio.to_thread(_matches, password_hash or _nobody(), password)


async def begin_session(context: Context, person_id: UUID, email: str, agent: str) -> str:
    """The token of a new session of somebody who has shown who they are."""
    now, token = context.now(), secrets.token_urlsafe(32)
    async with siteless_transaction(context.pool) as db:
        await people.forget_sign_in_failures(db, now - WINDOW, email)
        await people.add_session(db, hash_token(token), person_id, now, now + SESSION_LIFE, agent[:300])
    return token


async def who_is(context: Context, token: str) -> tuple[Person, list[Membership]] | None:
    """Whose session it is, with the sites they can open."""
    now = context.now()
    async with siteless_statement(context.pool) as db:
        found = await people.signed_in(db, hash_token(token), now)
        if found is None:
            return None
        if found.seen_at is None or found.seen_at < now - SEEN_EVERY:
            await people.seen(db, hash_token(token), now, now - SEEN_EVERY)
    return found.person, found.memberships


async def sign_out(context: Context, token: str) -> None:
    """Ends the session."""
    async with siteless_transaction(context.pool) as db:
        await people.end_session(db, hash_token(token))


async def shows_password(context: Context, person: Person, password: str, address: str) -> bool:
    """Whether somebody signed in knows the password too; limited as signing in is. Raises TooMany."""
    await note_try(context, person.email, address)
    if not await fits(person.password_hash, password):
        return False
    await forget_tries(context, person.email)
    return True


async def sessions(context: Context, person: Person) -> list[SessionRow]:
    """Where a person is signed in, the newest first."""
    async with siteless_transaction(context.pool) as db:
        return await people.sessions_of(db, person.id, context.now())


async def end_one(context: Context, person: Person, session_id: UUID) -> None:
    """Ends one of a person's sessions."""
    async with siteless_transaction(context.pool) as db:
        if not await people.end_session_of(db, person.id, session_id):
            raise NotFound("there is no such session of yours")


def _matches(password_hash: str, password: str) -> bool:
    try:
        return _HASHER.verify(password_hash, password)
    except (VerifyMismatchError, InvalidHashError):
        return False


@cache
def _nobody() -> str:
    return _HASHER.hash(secrets.token_urlsafe(16))


def hash_token(token: str) -> bytes:
    """What is kept of a token."""
    return hashlib.sha256(token.encode()).digest()
