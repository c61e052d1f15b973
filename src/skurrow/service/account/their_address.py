"""Where customers live, where parcels go, and whom invoices name: changed by themselves, for all that is running."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from skurrow.service.account.signing_in import Customer
from skurrow.service.account.theirs import theirs
from skurrow.service.changes import running
from skurrow.service.context import Context
from skurrow.service.subscriptions.standing import life_of
from skurrow.service.tax import tax_numbers


@dataclass(frozen=True, slots=True)
class NewAddress:
    """What a customer has typed, without empty fields; `deliver_to`, `company` and `telephone` None leave what is
    there."""

    name: str
    address: dict[str, str]
    deliver_to: dict[str, str] | None
    company: str | None
    tax_number: str | None
    telephone: str | None = None


async def change_address(context: Context, who: Customer, given: NewAddress) -> None:
    """Changes name, address and tax number of every subscription of theirs that is running."""
    for row in await theirs(context, who):
        if life_of(row).over:
            continue
        buyer = row.kept_buyer
        changes: dict[str, Any] = {"name": given.name, "address": given.address}
        if buyer.deliver_to and given.deliver_to is not None:
            changes["deliver_to"] = {"country": buyer.parcel_country, **given.deliver_to}
        if buyer.telephone and given.telephone:
            changes["telephone"] = given.telephone
        if buyer.business:
            changes["company"] = given.company or buyer.company
            if given.tax_number:
                found = await tax_numbers.ask(context, who.site_id, who.mode, given.tax_number, buyer.country)
                changes["tax_number"] = found.number
                changes["tax_number_check"] = {
                    "answer": found.state,
                    "name": found.name,
                    "reference": found.reference,
                }
        await running.change_buyer(context, who.site_id, row, changes)
