"""Signing in to the desk: Argon2 for passwords, an optional second step, opaque session tokens, a limit on failures."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import timedelta
from functools import cache
from uuid import UUID

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError

from skurrow.core.mailboxes import mailbox
from skurrow.service import limits
from skurrow.service.context import Context
from skurrow.service.lanes import Lane
from skurrow.service.limits import SIGN_IN, SIGN_IN_ADDRESS, SIGN_IN_MAILBOX, Limit
from skurrow.service.people import two_step
from skurrow.service.refusals import NotFound
from skurrow.store.database import siteless_statement, siteless_transaction
from skurrow.store.people import people
from skurrow.store.people.people import Membership, Person, SessionRow

SESSION_LIFE = timedelta(days=14)
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


@dataclass(frozen=True, slots=True)
class Where:
    """From where somebody signs in: an address on the net, what the browser says of itself, and the token by which we
    know a browser in which the same person was signed in before."""

    address: str
    agent: str = ""
    known: str | None = None


async def sign_in(context: Context, email: str, password: str, where: Where, code: str | None = None) -> str | None:
    """A new session's token, or None for a wrong email or password.

    Raises TooMany after too many failures, SecondStep where a code is needed or does not fit.
    """
    async with siteless_transaction(context.pool) as db:
        person = await people.person_by_email(db, email)
    tried = limits_of(context, mailbox(email), where, str(person.id) if person else None)
    await limits.spend(context, *tried)
    right = await fits(context.lanes.people, person.password_hash if person else None, password)
    if person is None or not right:
        return None
    if person.sealed_totp is not None and not (code and await two_step.fits(context, person, code)):
        raise SecondStep(wrong=bool(code))
    await forget_tries(context, tried)
    return await begin_session(context, person.id, where.agent)


def limits_of(context: Context, who: str, where: Where, whose: str | None) -> list[tuple[Limit, str]]:
    """What a try to sign in is counted for before it is made, so that a thousand at once are limited, too. `who` is a
    mailbox, which need not be anybody's; `whose` is what a browser that we know would bear.

    What strangers try counts for their addresses and for the mailbox; a browser in which its owner was signed in is
    counted by itself, so that nobody can shut them out.
    """
    if whose is not None and where.known is not None:
        known = context.signer.read("known browser", where.known)
        if isinstance(known, dict) and known.get("w") == whose:
            return [(SIGN_IN, f"{who} in {known.get('b')}")]
    return [
        (SIGN_IN, f"{who} from {where.address}"),
        (SIGN_IN_ADDRESS, where.address),
        (SIGN_IN_MAILBOX, who),
    ]


async def forget_tries(context: Context, tried: list[tuple[Limit, str]]) -> None:
    """Somebody has shown who they are. Of an address only this try is forgotten: others may be at it from there."""
    await limits.forgive(context, *(one for one in tried if one[0] is not SIGN_IN_ADDRESS))
    await limits.take_back(context, *(one for one in tried if one[0] is SIGN_IN_ADDRESS))


def know_browser(context: Context, whose: str) -> str:
    """A token for the browser of somebody who has shown who they are. It opens nothing."""
    return context.signer.sign("known browser", {"w": whose, "b": secrets.token_urlsafe(9)})


async def fits(lane: Lane, password_hash: str | None, password: str) -> bool:
    """Whether a password is right; where there is none, that takes as long as a wrong one. Raises TooMany."""
    return await lane.run(_matches, password_hash or _nobody(), password)


async def begin_session(context: Context, person_id: UUID, agent: str) -> str:
    """The token of a new session of somebody who has shown who they are."""
    now, token = context.now(), secrets.token_urlsafe(32)
    async with siteless_transaction(context.pool) as db:
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


async def shows_password(context: Context, person: Person, password: str, where: Where) -> bool:
    """Whether somebody signed in knows the password too; limited as signing in is. Raises TooMany."""
    tried = limits_of(context, mailbox(person.email), where, str(person.id))
    await limits.spend(context, *tried)
    if not await fits(context.lanes.people, person.password_hash, password):
        return False
    await forget_tries(context, tried)
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
