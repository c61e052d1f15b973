"""Loading the demo: one developer, one site from its site file, connected gateways. Done once."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from skurrow.core.check.site import check_text
from skurrow.gateway.protocol import Credentials
from skurrow.service.context import Context
from skurrow.service.draft import site_files
from skurrow.service.payments import gateways
from skurrow.service.people.sign_in import hash_password
from skurrow.store.database import site_transaction, siteless_transaction
from skurrow.store.draft import sites
from skurrow.store.people import people
from skurrow.store.people.people import Person

SITE_CODE = "ostrel"
EMAIL = "dev@ostrel.example"


async def load(
    context: Context, file: Path, site_url: str, password: str, connected: Mapping[str, Credentials]
) -> bool:
    """Loads the demo unless it is there; says whether it was loaded. `connected` are gateways to be connected for
    test, by adapter."""
    written = file.read_text(encoding="utf-8")
    text = written.replace(check_text(written).site.url, site_url)
    site = check_text(text)
    now = context.now()
    async with siteless_transaction(context.pool) as db:
        person = await people.person_by_email(db, EMAIL)
        known = [] if person is None else await people.memberships(db, person.id)
    new = person is None
    site_id = known[0].site_id if known else context.new_id()
    if person is None:
        person = Person(context.new_id(), EMAIL, "Noor Vermaat", hash_password(password))
        async with site_transaction(context.pool, site_id) as db:
            await people.add_person(db, person, now)
            await sites.add_site(db, site_id, SITE_CODE, now)
            await sites.add_member(db, site_id, person.id, "developer")
            for checkout in site.checkouts:
                # Fixed addresses, which the pages of the demo's website already carry.
                await sites.add_address(db, site_id, checkout.id, f"{SITE_CODE}-{checkout.id}")
    async with site_transaction(context.pool, site_id) as db:
        row = await sites.site(db, site_id)
    if row is not None and row.head_change == 0:
        files = {one.name: one.read_bytes() for one in sorted((file.parent / "pictures").glob("*.*"))}
        await site_files.apply(context, site_id, person.id, text, files)
    known_ones = {row.adapter for row in await gateways.connected(context, site_id) if row.mode == "test"}
    if not known_ones:
        for adapter, credentials in connected.items():
            await gateways.connect(context, site_id, adapter, "test", credentials)
    return new
