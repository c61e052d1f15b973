"""What the desk stores: revisions, mails claimed once, invitations, and what an older database becomes."""

from __future__ import annotations

import asyncio
from datetime import timedelta

import psycopg
import pytest
from psycopg import errors

from skurrow.run.cluster import Cluster
from skurrow.service.people import members as inviting
from skurrow.service.people.sign_in import hash_token
from skurrow.store import mail
from skurrow.store.database import run, site_transaction, siteless_transaction, value
from skurrow.store.draft import sites
from skurrow.store.draft.sites import PartRow
from skurrow.store.mail import Mail
from skurrow.store.migrate import MIGRATIONS, migrate
from skurrow.store.people import people
from skurrow.store.people.people import Person
from tests.conftest import Shop


async def put_by(shop: Shop, count: int) -> None:
    now = shop.clock()
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        for n in range(count):
            letter = Mail(shop.context.new_id(), f"key {n}", "a@example.org", "S", b"sealed", now, None)
            await mail.add_mail(db, shop.site_id, letter)


async def test_two_workers_never_claim_the_same_mail(shop: Shop) -> None:
    await put_by(shop, 30)

    async def claim() -> list[object]:
        async with siteless_transaction(shop.context.pool) as db:
            found = await mail.claim_mails(db, shop.clock(), 10)
            await asyncio.sleep(0.05)  # the other looks while this one holds its own
            return [one.id for one in found]

    claimed = [one for found in await asyncio.gather(claim(), claim(), claim(), claim()) for one in found]
    assert len(claimed) == len(set(claimed)) == 30


async def test_a_mail_that_is_not_taken_is_tried_later_and_later(shop: Shop) -> None:
    await put_by(shop, 1)
    waits = []
    for _ in range(12):
        async with siteless_transaction(shop.context.pool) as db:
            assert len(await mail.claim_mails(db, shop.clock(), 10)) == 1
            assert await mail.claim_mails(db, shop.clock(), 10) == []
        async with site_transaction(shop.context.pool, shop.site_id) as db:
            due = await value(db, "select send_at from mails")
        waits.append(round((due - shop.clock()).total_seconds(), -1))
        shop.clock.ahead += due - shop.clock() + timedelta(seconds=1)
    assert waits[:4] == [10, 20, 40, 80]
    assert waits == sorted(waits)
    assert waits[-1] == 3600


async def test_the_same_key_is_one_mail(shop: Shop) -> None:
    await put_by(shop, 3)
    await put_by(shop, 3)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        assert await value(db, "select count(*) from mails") == 3


async def test_an_email_is_invited_once_at_a_time_whatever_its_case(shop: Shop) -> None:
    noor = Person(shop.person_id, "dev@ostrel.example", "Noor", "")
    tries = [
        inviting.invite(shop.context, shop.site_id, noor, email, "owner")
        for email in ("jo@mail.example.org", "JO@mail.example.org", "Jo@mail.example.org")
    ]
    results = await asyncio.gather(*tries, return_exceptions=True)
    assert sum(not isinstance(one, Exception) for one in results) == 1, results
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        assert await value(db, "select count(*) from mails") == 1, "and one mail"


async def test_parts_at_a_change_are_what_was_newest_then(shop: Shop) -> None:
    now = shop.clock()
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        for body in ({"id": "x", "name": "A"}, {"id": "x", "name": "B"}, None):
            change = await sites.next_change(db, shop.site_id)
            await sites.add_revision(db, shop.site_id, PartRow("product", "x", change, 99, body, now), shop.person_id)
        seen = {}
        for change in (1, 2, 3, 4):
            found = [part.body for part in await sites.parts_at(db, shop.site_id, change) if part.part_id == "x"]
            seen[change] = found[0] if found else "never there"
        between = await sites.revisions_between(db, shop.site_id, 2, 4)
        kept = await sites.revision(db, shop.site_id, "product", "x", 3)
    assert seen == {1: "never there", 2: {"id": "x", "name": "A"}, 3: {"id": "x", "name": "B"}, 4: None}
    assert [(part.change, part.body) for part in between] == [(4, None)], "the newest of each part"
    assert kept is not None
    assert kept.body == {"id": "x", "name": "B"}


async def test_a_session_is_known_by_its_hash_and_told_with_its_sites(shop: Shop) -> None:
    now = shop.clock()
    async with siteless_transaction(shop.context.pool) as db:
        await people.add_session(db, hash_token("t"), shop.person_id, now, now + timedelta(hours=1), "A browser")
        found = await people.signed_in(db, hash_token("t"), now)
        assert await people.signed_in(db, hash_token("u"), now) is None
        assert await people.signed_in(db, hash_token("t"), now + timedelta(hours=1)) is None
        assert await value(db, "select count(*) from sessions where token_hash = 't'") == 0
    assert found is not None
    assert found.person.name == "Noor Vermaat"
    (membership,) = found.memberships
    assert (membership.site_id, membership.code, membership.name) == (shop.site_id, "ostrel", "Ostrel Bindery")


@pytest.mark.parametrize(
    "statement",
    [
        "insert into invitations (id, site_id, email, role, token_hash, created_at, expires_at)"
        " select gen_random_uuid(), id, 'x', 'king', 'h', now(), now() from sites",
        "insert into invitations (id, site_id, email, role, token_hash, created_at, expires_at, ended_at)"
        " select gen_random_uuid(), id, 'x', 'owner', 'h', now(), now(), now() from sites",
        "update members set role = 'king'",
    ],
)
async def test_what_cannot_be_is_refused_by_the_database(shop: Shop, statement: str) -> None:
    with psycopg.connect(shop.database.owner) as db, pytest.raises(errors.CheckViolation):
        db.execute(statement.encode())


async def test_a_transaction_that_is_cancelled_leaves_its_connection_whole(shop: Shop) -> None:
    async def hold() -> None:
        async with site_transaction(shop.context.pool, shop.site_id) as db:
            await run(db, "update sites set code = 'changed'")
            await run(db, "select pg_sleep(30)")

    for _ in range(20):  # more often than there are connections
        task = asyncio.create_task(hold())
        await asyncio.sleep(0.05)
        task.cancel()
        with pytest.raises(asyncio.CancelledError):
            await task
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        assert await value(db, "select code from sites") == "ostrel"
        assert await value(db, "select current_setting('skurrow.site')") == str(shop.site_id)
    async with siteless_transaction(shop.context.pool) as db:
        assert await value(db, "select coalesce(current_setting('skurrow.site', true), '')") == ""


def test_an_older_database_becomes_a_newer_one_with_its_rows(cluster: Cluster) -> None:
    cluster.create_database("older")
    dsn = cluster.dsn("skurrow_owner", "older")
    first = (MIGRATIONS / "0001_first_sale.sql").read_text().partition("-- migrate:down")[0]
    try:
        with psycopg.connect(dsn) as db:
            db.execute(first.encode())
            db.execute("create table schema_migrations (version varchar(128) primary key)")
            db.execute("insert into schema_migrations values ('0001')")
            db.execute("insert into people values (gen_random_uuid(), 'old@example.org', 'Old', 'h', now())")
            db.execute(
                "insert into sessions (token_hash, person_id, created_at, expires_at)"
                " select 't', id, now(), now() + interval '1 day' from people"
            )
        migrate(dsn)
        with psycopg.connect(dsn) as db:
            row = db.execute("select agent, seen_at, id is not null from sessions").fetchone()
            assert row == ("", None, True)
            assert db.execute("select sealed_totp, totp_step from people").fetchone() == (None, 0)
    finally:
        cluster.drop_database("older")
