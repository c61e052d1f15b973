"""The password of a person of the desk: changed by them, set anew by a mailed link, or by a command on the machine.

Whichever way, all their other sessions end and a mail tells them. The second step stays: a link that somebody else
reads opens nothing without it.
"""

from __future__ import annotations

import secrets
from datetime import timedelta
from urllib.parse import quote
from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.core.problems import InvalidInput, Problem
from skurrow.service import limits
from skurrow.service.context import Context
from skurrow.service.limits import LINK, LINK_ADDRESS
from skurrow.service.mail import mail
from skurrow.service.people import sign_in
from skurrow.service.people.sign_in import Where, hash_password, hash_token
from skurrow.service.refusals import NotFound
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.people import people
from skurrow.store.people.people import Person

SHORTEST = 10
"""Characters of a password."""

LINK_LIFE = timedelta(minutes=30)
APART = timedelta(minutes=5)
"""Between two links to one mailbox, once it has had a few: the earlier one is still good."""


def check(password: str, field: str = "password") -> None:
    """Raises InvalidInput for one that is too short."""
    if len(password) < SHORTEST:
        message = f"A password has at least {SHORTEST} characters"
        raise InvalidInput([Problem((field,), message, "Choose a longer one; three words will do", "too_short")])


async def change(context: Context, person: Person, present: str, new: str, session: str, where: Where) -> None:
    """Changes one's own password; other sessions end. Raises InvalidInput, TooMany."""
    check(new, "new")
    if not await sign_in.shows_password(context, person, present, where):
        raise InvalidInput([Problem(("password",), "This is not your password", "Type the present one", "wrong")])
    await _set(context, person, new, keep=hash_token(session))


async def send_link(context: Context, email: str, where: Where) -> None:
    """Mails a link to set the password anew with. Nothing tells whether there is such a person. Raises TooMany."""
    who = mailbox(email)
    await limits.spend(context, (LINK, f"desk {who} from {where.address}"), (LINK_ADDRESS, f"desk {where.address}"))
    now, token = context.now(), secrets.token_urlsafe(24)
    async with siteless_transaction(context.pool) as db:
        person = await people.person_by_email(db, email)
        found = [] if person is None else await people.memberships(db, person.id)
        if person is None or not found:  # a mail is sent by one of their sites
            return
        lately = await people.resets_since(db, person.id, now - timedelta(hours=1))
        if len(lately) >= LINK.most and any(one.used_at is None and one.created_at > now - APART for one in lately):
            return
        await people.add_reset(db, hash_token(token), person.id, now, now + LINK_LIFE)
    # After the sign # nothing is sent to a server, or written into its log.
    link = f"{context.settings.desk_url}/reset#{quote(token)}"
    text = (
        f"{person.name}, somebody has asked to set your password at Skurrow anew.\n\n"
        f"If it was you, follow this address within half an hour:\n\n{link}\n\n"
        "If it was not, there is nothing you need to do: your password stays as it is.\n"
    )
    async with site_transaction(context.pool, found[0].site_id) as db:
        key = f"password link {hash_token(token).hex()}"
        await mail.put_by(context, db, found[0].site_id, key, person.email, "Set your password anew", text)


async def reset(context: Context, token: str, new: str) -> None:
    """Sets a password by a mailed link, once; all sessions end. Raises NotFound for one that is over, InvalidInput."""
    check(new)
    async with siteless_transaction(context.pool) as db:
        person = await people.use_reset(db, hash_token(token), context.now())
    if person is None:
        raise NotFound("this link is too old, or was used before. Ask for a new one")
    await _set(context, person, new)
    await limits.forgive(context, (limits.SIGN_IN_MAILBOX, mailbox(person.email)))


async def set_by_command(context: Context, email: str, new: str) -> None:
    """Sets a password for whoever has this machine, where no mail works. Raises NotFound, InvalidInput."""
    check(new)
    async with siteless_transaction(context.pool) as db:
        person = await people.person_by_email(db, email)
    if person is None:
        raise NotFound(f"nobody with the address {email} can sign in here")
    await _set(context, person, new)


async def _set(context: Context, person: Person, new: str, keep: bytes = b"") -> None:
    hashed = await context.lanes.people.run(hash_password, new)
    async with siteless_transaction(context.pool) as db:
        await people.set_password(db, person.id, hashed)
        await people.end_sessions(db, person.id, keep)
        await people.end_resets(db, person.id, context.now())
        found = await people.memberships(db, person.id)
    if found:
        await _tell(context, found[0].site_id, person)


async def _tell(context: Context, site_id: UUID, person: Person) -> None:
    text = (
        f"{person.name}, your password at Skurrow was changed. All other browsers were signed out.\n\n"
        f"If it was not you, set it anew at once: {context.settings.desk_url}/reset\n"
    )
    async with site_transaction(context.pool, site_id) as db:
        key = f"password changed {context.new_id()}"
        await mail.put_by(context, db, site_id, key, person.email, "Your password was changed", text)
