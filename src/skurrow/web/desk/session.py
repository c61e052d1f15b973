"""Signing in to the desk and out of it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Request, Response, status
from pydantic import BaseModel, Field

from skurrow.service import sign_in
from skurrow.web.access import COOKIE, Desk, Means
from skurrow.web.desk.bodies import Given

router = APIRouter()


class SignIn(Given):
    """An email and a password."""

    email: Annotated[str, Field(min_length=1, max_length=254)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]


class MySite(BaseModel):
    """A site that one can open."""

    code: str
    role: str


class Me(BaseModel):
    """Who is signed in."""

    name: str
    email: str
    sites: list[MySite]


@router.post("/session", status_code=status.HTTP_204_NO_CONTENT)
async def begin_session(body: SignIn, request: Request, response: Response, context: Means) -> None:
    """Signs in; the session's cookie comes with the answer."""
    address = request.client.host if request.client else "unknown"
    token = await sign_in.sign_in(context, body.email.strip(), body.password, address)
    if token is None:
        raise HTTPException(401, "This email and password do not belong together.")
    response.set_cookie(
        COOKIE,
        token,
        max_age=int(sign_in.SESSION_LIFE.total_seconds()),
        httponly=True,
        samesite="lax",
        secure=context.settings.desk_url.startswith("https:"),
        path="/desk/api",
    )


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
    sites = [MySite(code=m.code, role=m.role) for m in desk.memberships]
    return Me(name=desk.person.name, email=desk.person.email, sites=sites)
