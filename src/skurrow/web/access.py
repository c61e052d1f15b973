"""Who asks: the means of this process, the session's person, and the site they may work on."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from typing import Annotated, cast
from uuid import UUID

from fastapi import Depends, HTTPException, Request

from skurrow.service.context import Context
from skurrow.service.people import sign_in
from skurrow.service.people.roles import Right, may
from skurrow.service.people.sign_in import Where
from skurrow.service.refusals import NotAllowed, NotFound
from skurrow.store.people.people import Membership, Person

COOKIE = "skurrow_desk"


async def _context(request: Request) -> Context:
    return cast(Context, request.app.state.context)


def address_of(request: Request) -> str:
    """From where on the net a request comes; behind a proxy that the settings name, what that says."""
    return request.client.host.removeprefix("::ffff:") if request.client else "unknown"


def where_of(request: Request, cookie: str) -> Where:
    """The same with what the browser says of itself, and the cookie by which we know it."""
    return Where(address_of(request), request.headers.get("user-agent", "")[:300], request.cookies.get(cookie))


Means = Annotated[Context, Depends(_context)]


@dataclass(frozen=True, slots=True)
class SignedIn:
    """A person at the desk, with the sites they can open."""

    person: Person
    memberships: list[Membership]


async def _signed_in(request: Request, context: Means) -> SignedIn:
    token = request.cookies.get(COOKIE)
    found = await sign_in.who_is(context, token) if token else None
    if found is None:
        raise HTTPException(401, "Sign in first.")
    return SignedIn(*found)


Desk = Annotated[SignedIn, Depends(_signed_in)]


@dataclass(frozen=True, slots=True)
class AtSite:
    """A person at work on one of their sites, as what."""

    person: Person
    site_id: UUID
    code: str
    role: str


async def _at_site(site: str, desk: Desk) -> AtSite:
    """The site named in the path, if it is one of theirs: to anybody else it does not exist."""
    for membership in desk.memberships:
        if membership.code == site:
            return AtSite(desk.person, membership.site_id, membership.code, membership.role)
    raise NotFound("there is no such site")


Site = Annotated[AtSite, Depends(_at_site)]


def _with(right: Right, words: str) -> Callable[..., Awaitable[AtSite]]:
    async def allowed(at: Site) -> AtSite:
        if not may(at.role, right):
            raise NotAllowed(f"You are {_ROLES[at.role]} of this site. {words}")
        return at

    return allowed


_ROLES = {"developer": "a developer", "owner": "an owner", "onlooker": "an onlooker"}

Configuring = Annotated[AtSite, Depends(_with("configure", "Only a developer can change this."))]
"""A site whose configuration the person may change."""

Selling = Annotated[AtSite, Depends(_with("sales", "Onlookers read and change nothing."))]
"""A member who may act on sales."""

Wording = Annotated[AtSite, Depends(_with("edit_texts", "Onlookers read and change nothing."))]
"""A site whose wording, at least, the person may change."""

Inviting = Annotated[AtSite, Depends(_with("people", "Only a developer can change who works on it."))]
"""A site whose members the person may change."""
