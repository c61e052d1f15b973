"""Signing in to the account page, and out of it."""

from __future__ import annotations

from fastapi import Request, Response, status

from skurrow.service.account import signing_in
from skurrow.service.orders import give_backs
from skurrow.web.access import Means, address_of, where_of
from skurrow.web.account.access import At, Who, cookie_of, known, let_in, let_out
from skurrow.web.account.given import EnterRequest, GivingBack, LinkRequest, NewPassword, PasswordSignIn
from skurrow.web.account.views import GiveBackView
from skurrow.web.counter.whence import language
from skurrow.web.routes import new_router

router = new_router(tag="account")


# -- signing in -------------------------------------------------------------------------------------------


@router.post("/counter/api/account/{code}/link", status_code=status.HTTP_204_NO_CONTENT)
async def send_link(body: LinkRequest, at: At, context: Means, request: Request) -> None:
    """Mails a link to sign in with; the answer is the same for whoever has bought nothing."""
    await signing_in.send_link(context, at, body.email, language(request), address_of(request))


@router.post("/counter/api/account/{code}/enter", status_code=status.HTTP_204_NO_CONTENT)
async def enter(body: EnterRequest, at: At, context: Means, response: Response) -> None:
    """Signs in with a mailed link."""
    entered = await signing_in.enter(context, at, body.token, body.visit)
    let_in(response, context, at, entered, body.framed)


@router.post("/counter/api/account/{code}/password-sign-in", status_code=status.HTTP_204_NO_CONTENT)
async def enter_with_password(
    body: PasswordSignIn, at: At, context: Means, request: Request, response: Response
) -> None:
    """Signs in with a password."""
    where = where_of(request, known(at))
    entered = await signing_in.enter_with_password(context, at, body.email, body.password, where)
    let_in(response, context, at, entered, body.framed)


@router.post("/counter/api/account/{code}/give-back")
async def say_give_back(body: GivingBack, at: At, context: Means, request: Request) -> GiveBackView:
    """Keeps a buyer's word that they give something back; nobody has to sign in for it."""
    typed = give_backs.Typed(body.name.strip(), body.email, body.order, body.what.strip(), body.words.strip())
    found = await give_backs.ask(context, at.site_id, at.mode, body.id, typed, address_of(request))
    return GiveBackView(code=found.code, at=found.at)


@router.put("/counter/api/account/{code}/password", status_code=status.HTTP_204_NO_CONTENT)
async def set_password(body: NewPassword, who: Who, at: At, context: Means, request: Request) -> None:
    """Sets a password; other browsers are signed out."""
    await signing_in.set_password(context, who, request.cookies.get(cookie_of(at), ""), body.password)


@router.post("/counter/api/account/{code}/leave", status_code=status.HTTP_204_NO_CONTENT)
async def leave(at: At, context: Means, request: Request, response: Response) -> None:
    """Signs out."""
    await signing_in.leave(context, at, request.cookies.get(cookie_of(at), ""))
    let_out(response, at)
