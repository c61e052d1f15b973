"""Signing in to the desk and out of it; one's own sessions and second step; invitations followed."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

import segno
from fastapi import HTTPException, Request, Response, status
from pydantic import BaseModel, Field

from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.people import members, passwords, sign_in, two_step
from skurrow.web.access import COOKIE, Desk, Means, where_of
from skurrow.web.desk.bodies import Given
from skurrow.web.problems import problem
from skurrow.web.routes import desk_router

router = desk_router()


class SignIn(Given):
    """An email and a password, and a code where a second step is on."""

    email: Annotated[str, Field(min_length=1, max_length=254)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]
    code: Annotated[str | None, Field(max_length=20)] = None


class MySite(BaseModel):
    """A site that one can open."""

    code: str
    name: str
    role: Literal["developer", "owner", "onlooker"]
    archived: bool


class Me(BaseModel):
    """Who is signed in."""

    name: str
    email: str
    two_step: bool
    sites: list[MySite]


class SessionView(BaseModel):
    """A place where one is signed in; `agent` is what the browser says of itself."""

    id: UUID
    began_at: datetime
    seen_at: datetime | None
    agent: str
    this: bool


class TwoStepOffer(BaseModel):
    """A key for a device: as a QR code (SVG) and as text; `sealed` is to be handed back with a code."""

    key: str
    picture: str
    sealed: str


class TwoStepRequest(Given):
    """A code that shows that the device has the key."""

    sealed: Annotated[str, Field(max_length=500)]
    code: Annotated[str, Field(max_length=20)]


class RecoveryCodes(BaseModel):
    """Codes that stand in for a lost device, each once. They are shown this one time."""

    codes: list[str]


class PasswordRequest(Given):
    """One's own password."""

    password: Annotated[str, Field(min_length=1, max_length=1000)]


class PasswordChange(Given):
    """One's present password, and the new one."""

    password: Annotated[str, Field(min_length=1, max_length=1000)]
    new: Annotated[str, Field(min_length=1, max_length=1000)]


class PasswordLink(Given):
    """Whose link is asked for."""

    email: Annotated[str, Field(min_length=3, max_length=254)]


class PasswordReset(Given):
    """The token of a mailed link, and the new password."""

    token: Annotated[str, Field(min_length=1, max_length=200)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]


class InvitedView(BaseModel):
    """What an invitation is about; `known` when its email can sign in already."""

    site: str
    site_name: str
    email: str
    role: Literal["developer", "owner", "onlooker"]
    known: bool


class AcceptRequest(Given):
    """Whoever is new gives a name and chooses a password."""

    name: Annotated[str, Field(max_length=120)] = ""
    password: Annotated[str, Field(max_length=1000)] = ""


KNOWN = "skurrow_known"
KNOWN_SECONDS = 400 * 24 * 3600
"""For which a browser is known in which somebody was signed in: as long as browsers keep a cookie (RFC 6265bis)."""

SECOND_STEP = "urn:skurrow:second-step"
"""The type of the answer that asks for a code."""


@router.post("/session", status_code=status.HTTP_204_NO_CONTENT, response_model=None)
async def begin_session(body: SignIn, request: Request, response: Response, context: Means) -> Response | None:
    """Signs in; the session's cookie comes with the answer."""
    email = body.email.strip()
    try:
        token = await sign_in.sign_in(context, email, body.password, where_of(request, KNOWN), body.code)
    except sign_in.SecondStep as asked:
        words = "This code does not fit. Type the one that your device shows now." if asked.wrong else "Type the code."
        return problem(401, "A code is needed", words, kind=SECOND_STEP)
    if token is None:
        raise HTTPException(401, "This email and password do not belong together.")
    _set_cookie(response, context, token)
    await _know(response, context, token)
    return None


@router.delete("/session", status_code=status.HTTP_204_NO_CONTENT)
async def end_session(request: Request, response: Response, context: Means) -> None:
    """Signs out."""
    token = request.cookies.get(COOKIE)
    if token:
        await sign_in.sign_out(context, token)
    response.delete_cookie(COOKIE, path="/desk/api")


@router.get("/me")
async def me(desk: Desk) -> Me:
    """Who is signed in, with their sites."""
    sites = [
        MySite.model_validate({"code": m.code, "name": m.name, "role": m.role, "archived": m.archived})
        for m in desk.memberships
    ]
    person = desk.person
    return Me(name=person.name, email=person.email, two_step=person.sealed_totp is not None, sites=sites)


@router.get("/sessions")
async def list_sessions(desk: Desk, request: Request, context: Means) -> list[SessionView]:
    """Where one is signed in."""
    mine = sign_in.hash_token(request.cookies.get(COOKIE, ""))
    return [
        SessionView(id=s.id, began_at=s.created_at, seen_at=s.seen_at, agent=s.agent, this=bytes(s.token_hash) == mine)
        for s in await sign_in.sessions(context, desk.person)
    ]


@router.delete("/sessions/{session}", status_code=status.HTTP_204_NO_CONTENT)
async def end_one_session(session: UUID, desk: Desk, context: Means) -> None:
    """Ends one of one's own sessions."""
    await sign_in.end_one(context, desk.person, session)


@router.post("/two-step")
async def offer_two_step(desk: Desk, context: Means) -> TwoStepOffer:
    """A key for the second step; nothing is changed until a code of it is shown."""
    found = two_step.offer(context, desk.person)
    picture = segno.make(found.address, error="m").svg_data_uri(scale=5, border=2, dark="#20242b", light="#ffffff")
    return TwoStepOffer(key=found.key, picture=picture, sealed=found.sealed)


@router.put("/two-step")
async def turn_two_step_on(body: TwoStepRequest, desk: Desk, context: Means) -> RecoveryCodes:
    """Turns the second step on."""
    code = body.code.replace(" ", "")
    return RecoveryCodes(codes=await two_step.turn_on(context, desk.person, body.sealed, code))


@router.post("/two-step/off", status_code=status.HTTP_204_NO_CONTENT)
async def turn_two_step_off(body: PasswordRequest, desk: Desk, request: Request, context: Means) -> None:
    """Turns the second step off; the password is asked for, since a session may have been left open."""
    if not await sign_in.shows_password(context, desk.person, body.password, where_of(request, KNOWN)):
        raise InvalidInput([Problem(("password",), "This is not your password", "Type it again")])
    await two_step.turn_off(context, desk.person)


@router.put("/password", status_code=status.HTTP_204_NO_CONTENT)
async def change_password(body: PasswordChange, desk: Desk, request: Request, context: Means) -> None:
    """Changes one's own password; the present one is asked for, and other browsers are signed out."""
    session = request.cookies.get(COOKIE, "")
    await passwords.change(context, desk.person, body.password, body.new, session, where_of(request, KNOWN))


@router.post("/password-links", status_code=status.HTTP_204_NO_CONTENT)
async def send_password_link(body: PasswordLink, request: Request, context: Means) -> None:
    """Mails a link to set a password anew with; the answer is the same for whoever cannot sign in here."""
    await passwords.send_link(context, body.email, where_of(request, KNOWN))


@router.post("/password-resets", status_code=status.HTTP_204_NO_CONTENT)
async def reset_password(body: PasswordReset, context: Means) -> None:
    """Sets a password by a mailed link, once; everybody who was signed in is signed out."""
    await passwords.reset(context, body.token, body.password)


@router.get("/invitations/{token}")
async def look_at_invitation(token: str, context: Means) -> InvitedView:
    """What an invitation is about."""
    found = await members.look_at(context, token)
    return InvitedView.model_validate(
        {
            "site": found.site_code,
            "site_name": found.site_name,
            "email": found.email,
            "role": found.role,
            "known": found.known,
        }
    )


@router.post("/invitations/{token}", status_code=status.HTTP_204_NO_CONTENT)
async def accept_invitation(
    token: str, body: AcceptRequest, request: Request, response: Response, context: Means
) -> None:
    """Accepts an invitation; whoever is new is signed in as well."""
    kept = request.cookies.get(COOKIE)
    found = await sign_in.who_is(context, kept) if kept else None
    if not (await members.look_at(context, token)).known:
        problems = []
        if not body.name.strip():
            problems.append(Problem(("name",), "is empty", "Write your name"))
        if len(body.password) < passwords.SHORTEST:
            message = f"A password has at least {passwords.SHORTEST} characters"
            problems.append(Problem(("password",), message, "Choose a longer one"))
        if problems:
            raise InvalidInput(problems)
    person = await members.accept(context, token, found[0] if found else None, body.name.strip(), body.password)
    if found is None:
        _set_cookie(response, context, await sign_in.begin_session(context, person.id, _agent(request)))


def _agent(request: Request) -> str:
    return request.headers.get("user-agent", "")


async def _know(response: Response, context: Means, token: str) -> None:
    """Has the browser known from now on: what strangers try with this person's address does not count for it."""
    found = await sign_in.who_is(context, token)
    if found is not None:
        response.set_cookie(
            KNOWN,
            sign_in.know_browser(context, str(found[0].id)),
            max_age=KNOWN_SECONDS,
            httponly=True,
            samesite="lax",
            secure=context.settings.desk_url.startswith("https:"),
            path="/desk/api",
        )


def _set_cookie(response: Response, context: Means, token: str) -> None:
    response.set_cookie(
        COOKIE,
        token,
        max_age=int(sign_in.SESSION_LIFE.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=context.settings.desk_url.startswith("https:"),
        path="/desk/api",
    )
