"""The sites of people: added, archived, brought back, deleted."""

from __future__ import annotations

import re
import secrets
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from psycopg import errors
from pydantic_core import Url

from skurrow.core.check.site import check_data
from skurrow.core.countries import neighbours
from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.context import Context
from skurrow.service.draft.configuration import edition_at, site_row, write_site_file
from skurrow.service.refusals import Conflict
from skurrow.service.tax.place_names import place_name
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import selling_states
from skurrow.store.people.people import Person


@dataclass(frozen=True, slots=True)
class NewSite:
    """A website that is to be given sales; `region` is the seller's, where taxes are a state's."""

    name: str
    url: str
    country: str
    currency: str
    time_zone: str
    region: str = ""


async def add(context: Context, person: Person, wanted: NewSite) -> str:
    """Adds a site of this person's, with three stand-in buyers; returns its code. Raises InvalidInput naming the
    field."""
    place = f"{wanted.country}-{wanted.region}" if wanted.region else wanted.country
    data: dict[str, Any] = {
        "format": "skurrow-site/1",
        "site": {
            "name": wanted.name,
            "url": wanted.url,
            "country": wanted.country,
            "time_zone": wanted.time_zone,
        },
        "currencies": [{"code": wanted.currency}],
        "tax": {"registrations": [{"place": place}]},
    }
    try:
        check_data(data)
    except InvalidInput as error:
        raise InvalidInput([_as_field(problem) for problem in error.problems]) from None
    data["stand_in_buyers"] = _stand_in_buyers(wanted)
    host = (Url(wanted.url).host or wanted.name).lower().removeprefix("www.")
    base = re.sub(r"[^a-z0-9]+", "-", host).strip("-")[:40] or "site"
    for code in (base, *(f"{base}-{secrets.token_hex(2)}" for _ in range(5))):
        site_id = context.new_id()
        try:
            async with site_transaction(context.pool, site_id) as db:
                await sites.add_site(db, site_id, code, context.now())
                await sites.add_member(db, site_id, person.id, "developer")
                await write_site_file(context, db, site_id, person.id, data)
                return code
        except errors.UniqueViolation:
            continue
    raise Conflict("No free name was found for this site. Try again.")


async def archive(context: Context, site_id: UUID, by: UUID) -> None:
    """Closes a site and puts it out of the way; renewals, refunds, account pages go on. Harmless when it is so."""
    async with site_transaction(context.pool, site_id) as db:
        if (await site_row(db, site_id)).archived_at is None:
            await sites.archive_site(db, site_id, context.now())
            if (await selling_states.selling(db, site_id)).selling == "opened":
                await selling_states.set_selling(db, site_id, "closed", "")
                change = context.new_id()
                await selling_states.add_change(db, site_id, change, "site", "", "closed", "", context.now(), by)


async def bring_back(context: Context, site_id: UUID) -> None:
    """Puts an archived site among the others again; it stays closed until somebody opens it."""
    async with site_transaction(context.pool, site_id) as db:
        await site_row(db, site_id)
        await sites.archive_site(db, site_id, None)


async def delete(context: Context, site_id: UUID, name: str) -> None:
    """Deletes a site with everything of it, if it has never sold; `name` is what whoever does so writes to be sure.

    Raises InvalidInput for another name, Conflict where there are orders in the live book.
    """
    async with site_transaction(context.pool, site_id) as db:
        row = await site_row(db, site_id)
        called = (await edition_at(context, db, site_id, row.head_change)).site.site.name
        if name.strip() != called:
            raise InvalidInput([Problem(("name",), f"This site is called “{called}”", "Write its name to be sure")])
        if not await sites.delete_site(db, site_id):
            raise Conflict("This site has orders of real buyers, which are kept. Archive it instead.")


# -- within -----------------------------------------------------------------------------------------------


def _stand_in_buyers(wanted: NewSite) -> list[dict[str, Any]]:
    """Somebody at home and two from where others of its buyers are most likely to come: a business and a consumer."""
    home, business, consumer = wanted.country, *neighbours(wanted.country)
    people = (
        ("at-home", f"{place_name(home)}, at home", "Robin Example", home),
        ("business", f"{place_name(business)}, a business", "Kim Example", business),
        ("neighbour", f"{place_name(consumer)}, a consumer", "Sam Example", consumer),
    )
    found = [
        {
            "id": code,
            "name": name,
            "person": person,
            "email": f"{person.partition(' ')[0].lower()}@standin.example",
            "country": country,
            "currency": wanted.currency,
        }
        for code, name, person, country in people
    ]
    if wanted.region:
        found[0]["region"] = wanted.region
    return [{**one, **({"business": True} if one["id"] == "business" else {})} for one in found]


def _as_field(problem: Problem) -> Problem:
    """A problem of the site file as one of the form's fields."""
    field = {"site": problem.path[-1], "currencies": "currency"}.get(str(problem.path[0]), "country")
    if field == "country" and "state" in problem.message:
        field = "region"
    return Problem((field,), problem.message, problem.remedy, problem.code)
