"""Stand-in buyers: invented buyers for tapes and tests."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, StringConstraints

from skurrow.core.bounds import one_line
from skurrow.core.site.values import Code, Country, CurrencyCode, Email, Listed, Name

CardBehaviour = Literal[
    "approved",
    "elsewhere",
    "no_funds",
    "lost",
    "expired",
    "slow",
    "no_answer",
    "cut",
    "no_refund",
    "approval",
    "disputed",
    "fails_once",
    "fails_later",
    "approval_later",
]
"""How a stand-in buyer's card behaves."""


class StandInBuyer(Listed):
    """An invented buyer for whom tapes are made out and tests are bought; real buyers never meet one.

    `name` is what the desk calls them; `person` and `email` are what they type at the counter; `card` is how their
    card behaves. `pays_with` is the gateway that they choose where it is offered (None: the first), which
    hinders nobody from offering others; one who is `returning` has bought before.
    """

    id: Code
    name: Name
    person: Name
    email: Email
    country: Country
    region: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40), AfterValidator(one_line)] | None = (
        None
    )
    postal_code: (
        Annotated[str, StringConstraints(strip_whitespace=True, max_length=12), AfterValidator(one_line)] | None
    ) = None
    currency: CurrencyCode
    business: bool = False
    tax_number: (
        Annotated[str, StringConstraints(strip_whitespace=True, max_length=30), AfterValidator(one_line)] | None
    ) = None
    card: CardBehaviour = "approved"
    pays_with: Code | None = None
    returning: bool = False
    screen: Literal["desktop", "phone"] = "desktop"
