"""How invoices and receipts are numbered, and what stands on them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, StringConstraints

from skurrow.core.bounds import one_line, printable
from skurrow.core.site.values import Email, Frozen, Name

Series = Annotated[
    str, StringConstraints(pattern=r"^(?P<series>[A-Za-z0-9/._-]{0,16}(\{year\})?[A-Za-z0-9/._-]{0,8})$", min_length=1)
]
"""How the numbers of a kind of paper begin; with `{year}` they begin anew every year."""


class Papers(Frozen):
    """Who invoices and receipts name as the seller, what stands at their foot, and how they are numbered.

    `name` is the registered one, where it is not the site's. `consumers` says what a sale to a consumer is documented
    by; a business always gets an invoice.
    """

    name: Name | None = None
    street: Name | None = None
    postal_code: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=12), AfterValidator(one_line)]
        | None
    ) = None
    city: Name | None = None
    region: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(one_line)]
        | None
    ) = None
    email: Email | None = None
    text: Annotated[str, StringConstraints(strip_whitespace=True, max_length=500), AfterValidator(printable)] = ""
    consumers: Literal["receipt", "invoice"] = "receipt"
    invoices: Series = "I-{year}-"
    receipts: Series = "R-{year}-"
    credit_notes: Series = "C-{year}-"
