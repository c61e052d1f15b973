"""The second step of signing in: a code of six digits that changes every half minute (TOTP, RFC 6238).

A code counts once. Recovery codes, each good for one sign-in, stand in when the device is lost.
"""

from __future__ import annotations

import hmac
import secrets
from dataclasses import dataclass

import pyotp
from cryptography.fernet import InvalidToken

from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.context import Context
from skurrow.store.database import siteless_transaction
from skurrow.store.people import people
from skurrow.store.people.people import Person

RECOVERY_CODES = 8
_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
_ISSUER = "Skurrow"


@dataclass(frozen=True, slots=True)
class Offer:
    """A key for a device: as text, as the address that a QR code carries, and sealed, to be handed back."""

    key: str
    address: str
    sealed: str


def offer(context: Context, person: Person) -> Offer:
    """A new key. Nothing is changed until a code of it was shown."""
    key = pyotp.random_base32()
    address = pyotp.TOTP(key).provisioning_uri(name=person.email, issuer_name=_ISSUER)
    return Offer(key, address, context.vault.seal(f"{person.id} {key}").decode())


async def turn_on(context: Context, person: Person, sealed: str, code: str) -> list[str]:
    """Turns the second step on once a code shows that the device has the key; returns the recovery codes.

    Raises InvalidInput naming the field, also where it is on: whoever changes the device turns it off first, with
    their password.
    """
    if person.sealed_totp is not None:
        message = "Two-step sign-in is on already"
        raise InvalidInput([Problem(("code",), message, "Turn it off first, then on with the other device", "on")])
    try:
        owner, _, key = context.vault.open(sealed.encode()).partition(" ")
    except InvalidToken:
        owner, key = "", ""
    step = _step(context, key, code) if owner == str(person.id) else None
    if step is None:
        message = "This code does not fit the key"
        raise InvalidInput([Problem(("code",), message, "Wait for the next code and type that", "wrong_code")])
    codes = ["".join(secrets.choice(_LETTERS) for _ in range(10)) for _ in range(RECOVERY_CODES)]
    async with siteless_transaction(context.pool) as db:
        await people.set_two_step(db, person.id, context.vault.seal(key), step)
        await people.replace_recovery_codes(db, person.id, [_hashes(context, one)[0] for one in codes])
    return codes


async def turn_off(context: Context, person: Person) -> None:
    """Turns it off; whoever asks has shown their password."""
    async with siteless_transaction(context.pool) as db:
        await people.set_two_step(db, person.id, None, 0)
        await people.replace_recovery_codes(db, person.id, [])


async def fits(context: Context, person: Person, code: str) -> bool:
    """Whether the code fits, and uses it up."""
    plain = code.replace(" ", "").replace("-", "").lower()
    step = _step(context, context.vault.open(person.sealed_totp or b""), plain)
    async with siteless_transaction(context.pool) as db:
        if step is not None:
            return await people.use_step(db, person.id, step)
        for hashed in _hashes(context, plain):
            if await people.use_recovery_code(db, person.id, hashed, context.now()):
                return True
        return False


def _step(context: Context, key: str, code: str) -> int | None:
    """The time step whose code this is: the present one or a neighbour, for clocks that differ."""
    if not (key and code.isascii() and code.isdigit()):
        return None
    totp, now = pyotp.TOTP(key), int(context.now().timestamp())
    for step in (now // totp.interval + i for i in (0, -1, 1)):
        if secrets.compare_digest(totp.generate_otp(step), code):
            return step
    return None


def _hashes(context: Context, code: str) -> list[bytes]:
    """What is kept of a code, under each of our keys, the present one first: the database alone gives none away."""
    return [hmac.digest(key.encode(), code.encode(), "sha256") for key in context.settings.master_keys]
