"""How a checkout is put on the site: a plain link, and the same link as a button that opens over the page."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from uuid import UUID

from skurrow.service.context import Context
from skurrow.service.counter.visit import TestHour, hour_token, pass_token
from skurrow.service.draft.configuration import edition_at
from skurrow.service.refusals import NotFound
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders import selling_states


@dataclass(frozen=True, slots=True)
class Placement:
    """What is pasted into a page. `snippet` works without JavaScript too: it is a link.

    `test_link` carries the site's test pass: whoever opens it is a test buyer and meets the draft, also when the
    site is live. It is not for the website. `prices` are those that the checkout lists; the `everyday` one sells any.
    """

    checkout: str
    name: str
    link: str
    snippet: str
    script: str
    test_link: str
    prices: list[str]
    everyday: bool


async def walk(context: Context, site_id: UUID) -> str:
    """The address at which a browser becomes a test buyer's for an hour, and is led to the website. Raises NotFound."""
    async with site_transaction(context.pool, site_id) as db:
        if await sites.site(db, site_id) is None:
            raise NotFound("there is no such site")
        row = await selling_states.selling(db, site_id)
    return f"{context.settings.counter_url}/try/{hour_token(context, site_id, row.test_pass)}"


async def website_of(context: Context, hour: TestHour) -> str:
    """The website that is walked, by its address in the draft. Raises NotFound where the pass was withdrawn."""
    async with site_transaction(context.pool, hour.site_id) as db:
        site = await sites.site(db, hour.site_id)
        row = await selling_states.selling(db, hour.site_id)
        if site is None or row.test_pass != hour.number:
            raise NotFound("the test links of this shop were withdrawn")
        return (await edition_at(context, db, site.id, site.head_change)).site.site.url


async def placements(context: Context, site_id: UUID) -> list[Placement]:
    """The placements of every checkout of the draft."""
    counter = context.settings.counter_url
    script = f'<script async src="{counter}/embed.js"></script>'
    found = []
    async with site_transaction(context.pool, site_id) as db:
        site = await sites.site(db, site_id)
        if site is None:
            raise NotFound("there is no such site")
        row = await selling_states.selling(db, site_id)
        edition = await edition_at(context, db, site_id, site.head_change)
        addresses = await sites.addresses_of(db, site_id)
        for checkout in edition.checkouts.values():
            link = f"{counter}/buy/{addresses.get(checkout.id)}"
            words = "Your basket"
            if checkout.prices:
                words = f"Buy {edition.prices[checkout.prices[0]].product.name}"
            marks = 'data-skurrow-place="over_page"' + (" data-skurrow-basket" if checkout.takes_several else "")
            button = f'<a href="{escape(link)}"\n   {marks}>{escape(words)}</a>'
            snippet, test_link = f"{button}\n{script}", f"{link}?test={pass_token(context, site_id, row.test_pass)}"
            found.append(
                Placement(
                    checkout.id,
                    checkout.name,
                    link,
                    snippet,
                    script,
                    test_link,
                    list(checkout.prices),
                    checkout.everyday,
                )
            )
    return found
