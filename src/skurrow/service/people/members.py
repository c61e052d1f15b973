"""Who works on a site: members, their roles, and invitations sent by mail."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import timedelta
from uuid import UUID

from psycopg import errors

from skurrow.core.mailboxes import mailbox
from skurrow.core.problems import InvalidInput, Problem
from skurrow.service import limits
from skurrow.service.context import Context
from skurrow.service.limits import INVITATIONS
from skurrow.service.mail import mail
from skurrow.service.people.roles import Role
from skurrow.service.people.sign_in import hash_password, hash_token
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.database import Connection, site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.people import members, people
from skurrow.store.people.members import Invitation, Member
from skurrow.store.people.people import Person

INVITATION_LIFE = timedelta(days=7)

_ROLE_WORDS = {
    "developer": "as a developer, who may change everything",
    "owner": "as an owner, who looks after sales and wording",
    "onlooker": "as an onlooker, who reads and changes nothing",
}


@dataclass(frozen=True, slots=True)
class Team:
    """The members of a site and the invitations that are open."""

    members: list[Member]
    invitations: list[Invitation]


@dataclass(frozen=True, slots=True)
class Invited:
    """What somebody who follows an invitation is shown."""

    site_code: str
    site_name: str
    email: str
    role: str
    known: bool


async def team(context: Context, site_id: UUID) -> Team:
    """Who works on the site."""
    async with site_transaction(context.pool, site_id) as db:
        return Team(await members.members(db, site_id), await members.open_invitations(db, site_id))


async def invite(context: Context, site_id: UUID, by: Person, email: str, role: Role) -> Invitation:
    """Invites somebody by mail. Raises InvalidInput for an email that is a member's or invited already."""
    await limits.spend(context, (INVITATIONS, str(site_id)))
    now, token = context.now(), secrets.token_urlsafe(24)
    found = Invitation(context.new_id(), site_id, email, role, now, now + INVITATION_LIFE, None)
    async with site_transaction(context.pool, site_id) as db:
        if any(mailbox(member.email) == mailbox(email) for member in await members.members(db, site_id)):
            raise InvalidInput([Problem(("email",), f"{email} works on this site already", "Change the role instead")])
        for earlier in await members.open_invitations(db, site_id):
            if mailbox(earlier.email) == mailbox(email):
                if earlier.expires_at > now:
                    message = f"{email} is invited already"
                    raise InvalidInput([Problem(("email",), message, "Withdraw that invitation first")])
                await members.end_invitation(db, site_id, earlier.id, "withdrawn", now)
        try:
            await members.add_invitation(db, found, hash_token(token), by.id)
        except errors.UniqueViolation:
            raise Conflict(f"Somebody else is inviting {email} at this moment.") from None
        name = await _site_name(context, db, site_id)
        text = (
            f"{by.name} invites you to work on {name} in Skurrow {_ROLE_WORDS[role]}.\n\n"
            f"Follow this address within a week to accept:\n\n{context.settings.desk_url}/invited/{token}\n\n"
            "If you do not know what this is about, there is nothing you need to do.\n"
        )
        await mail.put_by(context, db, site_id, f"invitation {found.id}", email, f"Work on {name}", text)
    return found


async def withdraw(context: Context, site_id: UUID, invitation_id: UUID) -> None:
    """Ends an invitation that is open."""
    async with site_transaction(context.pool, site_id) as db:
        if not await members.end_invitation(db, site_id, invitation_id, "withdrawn", context.now()):
            raise NotFound("there is no such open invitation")


async def look_at(context: Context, token: str) -> Invited:
    """What an invitation is about. Raises NotFound for one that is over."""
    found, code, name = await _open(context, token)
    async with siteless_transaction(context.pool) as db:
        known = await people.person_by_email(db, found.email)
    return Invited(code, name, found.email, found.role, known is not None)


async def accept(context: Context, token: str, signed_in: Person | None, name: str, password: str) -> Person:
    """Makes the invited person a member, and somebody who can sign in if they are new.

    Raises NotFound for an invitation that is over, Conflict where the email's owner has to sign in first.
    """
    found, _, _ = await _open(context, token)
    async with siteless_transaction(context.pool) as db:
        known = await people.person_by_email(db, found.email)
    if known is not None and (signed_in is None or signed_in.id != known.id):
        raise Conflict(f"{found.email} has an account here. Sign in with it, then follow the invitation again.")
    hashed = "" if known is not None else await context.lanes.people.run(hash_password, password)
    person = known or Person(context.new_id(), found.email, name, hashed)
    async with site_transaction(context.pool, found.site_id) as db:
        if not await members.end_invitation(db, found.site_id, found.id, "accepted", context.now()):
            raise NotFound("this invitation is over")
        if known is None:
            try:
                await people.add_person(db, person, context.now())
            except errors.UniqueViolation:
                raise Conflict("This invitation is being accepted at this moment.") from None
        await members.add_member(db, found.site_id, person.id, found.role)
    return person


async def change_role(context: Context, site_id: UUID, person_id: UUID, role: Role) -> None:
    """Gives a member another role. A site keeps at least one developer."""
    async with site_transaction(context.pool, site_id) as db:
        await members.hold_members(db, site_id)
        if role != "developer":
            await _keep_a_developer(db, site_id, person_id)
        if not await members.change_role(db, site_id, person_id, role):
            raise NotFound("there is no such member")


async def remove(context: Context, site_id: UUID, person_id: UUID) -> None:
    """Ends a membership. A site keeps at least one developer."""
    async with site_transaction(context.pool, site_id) as db:
        await members.hold_members(db, site_id)
        await _keep_a_developer(db, site_id, person_id)
        if not await members.remove_member(db, site_id, person_id):
            raise NotFound("there is no such member")


# -- within -----------------------------------------------------------------------------------------------


async def _open(context: Context, token: str) -> tuple[Invitation, str, str]:
    """The open invitation with a token, its site's code and name."""
    async with siteless_transaction(context.pool) as db:
        target = await members.site_of_invitation(db, hash_token(token))
    if target is None:
        raise NotFound("there is no such invitation")
    async with site_transaction(context.pool, target.site_id) as db:
        found = await members.invitation(db, target.site_id, target.id)
        row = await sites.site(db, target.site_id)
        if found is None or row is None or found.ended_at is not None or found.expires_at <= context.now():
            raise NotFound("this invitation is over; ask for a new one")
        return found, row.code, await _site_name(context, db, target.site_id)


async def _site_name(context: Context, db: Connection, site_id: UUID) -> str:
    row = await sites.site(db, site_id)
    assert row is not None
    return (await context.states.at(db, site_id, row.head_change)).edition.site.site.name


async def _keep_a_developer(db: Connection, site_id: UUID, person_id: UUID) -> None:
    others = [m for m in await members.members(db, site_id) if m.role == "developer" and m.person_id != person_id]
    if not others:
        message = "A site needs at least one developer"
        raise InvalidInput([Problem(("role",), message, "Make somebody else a developer first", "last_developer")])
