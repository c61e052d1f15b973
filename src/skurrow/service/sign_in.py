"""Signing in to the desk: Argon2 for passwords, opaque session tokens, and a limit on failures."""

from __future__ import annotations

import asyncio
import hashlib
import secrets
from datetime import timedelta
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError

from skurrow.service.context import Context
from skurrow.service.refusals import TooMany
from skurrow.store import people
from skurrow.store.database import siteless_transaction
from skurrow.store.people import Membership, Person

SESSION_LIFE = timedelta(days=14)
WINDOW = timedelta(minutes=15)
MOST_OF_BOTH, MOST_OF_EMAIL, MOST_OF_ADDRESS = 5, 50, 30
"""Failures within the window after which no more tries are taken: of one email from one address, of one email
from anywhere, from one address."""

_HASHER = PasswordHasher()


def hash_password(password: str) -> str:
    """The Argon2id hash of a password."""
    return _HASHER.hash(password)


async def sign_in(context: Context, email: str, password: str, address: str) -> str | None:
    """A new session's token, or None for a wrong email or password. Raises TooMany after too many failures."""
    now = context.now()
    async with siteless_transaction(context.pool) as db:
        # Noted as failed before it is tried, and one try after the other, so that a thousand at once are limited too.
        await people.one_sign_in_at_a_time(db)
        failures = await people.sign_in_failures(db, email, address, now - WINDOW)
        if (
            failures.of_both >= MOST_OF_BOTH
            or failures.of_email >= MOST_OF_EMAIL
            or failures.of_address >= MOST_OF_ADDRESS
        ):
            raise TooMany("Too many failed sign-ins. Wait a quarter of an hour.", int(WINDOW.total_seconds()))
        await people.add_sign_in_failure(db, email, address, now)
        person = await people.person_by_email(db, email)
    # An unknown email takes as long as a wrong password.
    right = await asyncio.to_thread(_matches, person.password_hash if person else _nobody(), password)
    if person is None or not right:
        return None
    token = secrets.token_urlsafe(32)
    async with siteless_transaction(context.pool) as db:
        await people.forget_sign_in_failures(db, now - WINDOW, email)
        await people.add_session(db, _hash(token), person.id, now, now + SESSION_LIFE)
    return token


async def who_is(context: Context, token: str) -> tuple[Person, list[Membership]] | None:
    """Whose session it is, with the sites they can open."""
    async with siteless_transaction(context.pool) as db:
        person = await people.person_of_session(db, _hash(token), context.now())
        return None if person is None else (person, await people.memberships(db, person.id))


async def sign_out(context: Context, token: str) -> None:
    """Ends the session."""
    async with siteless_transaction(context.pool) as db:
        await people.end_session(db, _hash(token))


def _matches(password_hash: str, password: str) -> bool:
    try:
        return _HASHER.verify(password_hash, password)
    except (VerifyMismatchError, InvalidHashError):
        return False


@cache
def _nobody() -> str:
    return _HASHER.hash(secrets.token_urlsafe(16))


def _hash(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
