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


def let_in(response: Response, context: Means, at: Shop, entered: Entered) -> None:
    session_seconds = int(signing_in.SESSION_LIFE.total_seconds())
    cookies = ((cookie_of(at), entered.session, session_seconds), (known(at), entered.known, KNOWN_SECONDS))
    for name, value, seconds in cookies:
        response.set_cookie(
            name,
            value,
            max_age=seconds,
            path="/counter/api/account/",
            secure=context.settings.counter_url.startswith("https:"),
            httponly=True,
            samesite="strict",
        )
