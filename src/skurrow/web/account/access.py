"""Who asks at an account page: the shop by its address, the customer by a cookie of its own."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, HTTPException, Request, Response

from skurrow.service.account import signing_in
from skurrow.service.account.signing_in import Customer, Entered, Shop
from skurrow.web.access import Means
from skurrow.web.desk.people.session import KNOWN_SECONDS


async def _shop(code: str, context: Means, test: bool = False) -> Shop:
    return await signing_in.shop(context, code, test)


At = Annotated[Shop, Depends(_shop)]


def cookie_of(at: Shop) -> str:
    return f"skurrow_account_{at.code}_{at.mode}"


def known(at: Shop) -> str:
    return f"skurrow_known_{at.code}_{at.mode}"


async def _customer(request: Request, at: At, context: Means) -> Customer:
    found = await signing_in.who_is(context, at, request.cookies.get(cookie_of(at)))
    if found is None:
        raise HTTPException(401, "Sign in first.")
    return found


Who = Annotated[Customer, Depends(_customer)]


_PATH = "/counter/api/account/"


def let_in(response: Response, context: Means, at: Shop, entered: Entered, framed: bool) -> None:
    """Gives the browser its cookies. Those of a page that is `framed` by the shop's website are that website's only
    (CHIPS): a browser keeps and sends them nowhere else."""
    session_seconds = int(signing_in.SESSION_LIFE.total_seconds())
    cookies = ((cookie_of(at), entered.session, session_seconds), (known(at), entered.known, KNOWN_SECONDS))
    for name, value, seconds in cookies:
        if framed:
            response.headers.append("set-cookie", f"{name}={value}; Max-Age={seconds}; {_WITHIN}")
            continue
        response.set_cookie(
            name,
            value,
            max_age=seconds,
            path=_PATH,
            secure=context.settings.counter_url.startswith("https:"),
            httponly=True,
            samesite="strict",
        )


_WITHIN = f"Path={_PATH}; HttpOnly; Secure; SameSite=None; Partitioned"


def let_out(response: Response, at: Shop) -> None:
    """Takes the session's cookie away, that of a frame too."""
    response.delete_cookie(cookie_of(at), path=_PATH)
    response.headers.append("set-cookie", f"{cookie_of(at)}=; Max-Age=0; {_WITHIN}")
