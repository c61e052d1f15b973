"""What the account page is sent, within bounds."""

from __future__ import annotations

from typing import Annotated
from uuid import UUID

from pydantic import AfterValidator, EmailStr, Field

from skurrow.core.bounds import one_line, printable
from skurrow.web.counter.given import AddressGiven, GatewayToken, Telephone
from skurrow.web.desk.bodies import Given


class LinkRequest(Given):
    """Whose link is asked for."""

    email: Annotated[str, Field(min_length=3, max_length=254)]


class EnterRequest(Given):
    """The token of a mailed link, and the visit that this browser has kept from a checkout, if it has; whether the page
    stands in a frame of the website."""

    token: Annotated[str, Field(max_length=200)]
    visit: Annotated[str, Field(max_length=1000)] | None = None
    framed: bool = False


_Line = Annotated[str, Field(min_length=1, max_length=200), AfterValidator(one_line)]


class GivingBack(Given):
    """What a buyer gives back; `id` is theirs to choose, so that the same word twice is one."""

    id: UUID
    name: _Line
    email: EmailStr
    order: Annotated[str, Field(max_length=40), AfterValidator(one_line)] = ""
    what: Annotated[str, Field(min_length=1, max_length=1000), AfterValidator(printable)]
    words: Annotated[str, Field(max_length=1000), AfterValidator(printable)] = ""


class PasswordSignIn(Given):
    """An email and a password, and whether the page stands in a frame of the website."""

    email: Annotated[str, Field(min_length=3, max_length=254)]
    password: Annotated[str, Field(min_length=1, max_length=1000)]
    framed: bool = False


class NewPassword(Given):
    """A password to sign in with."""

    password: Annotated[str, Field(min_length=1, max_length=1000)]


class CardRequest(Given):
    """A card or an account that was just typed into a gateway's fields."""

    way: Annotated[str, Field(max_length=60)]
    token: GatewayToken


class CardApproved(Given):
    """A card that is kept once the buyer has approved it."""

    way: Annotated[str, Field(max_length=60)]
    key: UUID


class ParcelNamed(AddressGiven):
    """To whom and where parcels go that do not go to the buyer; their country stays."""

    name: Annotated[str, Field(min_length=1, max_length=120), AfterValidator(one_line)]


class BuyerChange(Given):
    """Whom papers are made out to, and where parcels go."""

    name: Annotated[str, Field(min_length=1, max_length=120), AfterValidator(one_line)]
    address: AddressGiven
    deliver_to: ParcelNamed | None = None
    company: Annotated[str, Field(max_length=120), AfterValidator(one_line)] | None = None
    tax_number: Annotated[str, Field(max_length=40)] | None = None
    telephone: Telephone | None = None


class RenewalCard(CardRequest):
    """The same, of whoever follows a mailed link."""

    link: Annotated[str, Field(max_length=2000)]


class RenewalLink(Given):
    """A mailed link."""

    link: Annotated[str, Field(max_length=2000)]
