"""What the database itself refuses: another site's rows, changes of history, impossible states."""

from __future__ import annotations

import io
import threading
import uuid

import psycopg
import pytest
from PIL import Image
from psycopg import errors, sql

from skurrow.core.payments.refunds import Asked
from skurrow.gateway.protocol import Dispute
from skurrow.run.cluster import Cluster
from skurrow.service.account import signing_in
from skurrow.service.changes import agreeing, proposing
from skurrow.service.counter import baskets, buyer_password, opening, paying, selling_states
from skurrow.service.counter.baskets import Thing
from skurrow.service.counter.visit import Choice, read_visit
from skurrow.service.draft import pictures, products, releases
from skurrow.service.orders import books, disputes, give_backs, refunds, taking_out, transfers
from skurrow.service.payments import gateways, reconciling
from skurrow.service.people import members
from skurrow.service.people.sign_in import Where
from skurrow.service.tax import tax_numbers
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.migrate import migrate
from skurrow.store.orders import reviews
from skurrow.store.people.people import Person
from tests.conftest import Database, Shop
from tests.gateway.test_standin_cards import NUMBERS
from tests.payments import payment_of
from tests.service.living import buy, move, own_cards, subscription
from tests.service.statements import camt
from tests.service.tax.test_tax import buy as buy_plainly

cards = own_cards

SITE_TABLES = [
    *("sites", "members", "part_revisions", "releases", "addresses", "connections"),
    *("gateway_events", "orders", "attempts", "charges", "events", "invitations", "mails"),
    *("site_texts", "stock_levels", "stock_holds", "stock_counts", "coupon_counts", "coupon_uses", "pictures"),
    *("tax_number_checks", "number_series", "papers", "refunds", "clearings", "reconciliations", "disputes"),
    *("statements", "transfers", "reviews", "subscriptions", "subscription_events", "credits", "calendars"),
    *("account_links", "account_sessions", "account_passwords", "typed_passwords"),
    *("stopped_parts", "selling_changes", "mailbox_collisions", "baskets", "give_backs", "taken_out"),
]


async def _paid_order(shop: Shop) -> None:
    counter = await opening.open_counter(shop.context, "ostrel-kit")
    visit = read_visit(shop.context, counter.visit)
    choice = Choice(variant="moss", delivery="collect", coupons=("bind10",))
    payment = payment_of("a@example.org", "A", "NL", await shop.cards.token(), "43.20", choice)
    assert (await paying.pay(shop.context, visit, payment)).state == "paid"


async def _subscribed(shop: Shop) -> None:
    """A customer with a password who has changed plan, under a calendar that was moved."""
    await buy(shop, "parcel-month")
    await move(shop, "day")
    row = await subscription(shop)
    shown = await proposing.propose(shop.context, shop.site_id, row, "parcel-year")
    await agreeing.agree(shop.context, shop.site_id, row, shown.token)
    at = await signing_in.shop(shop.context, "ostrel", True)
    who = signing_in.Customer(shop.site_id, "ostrel", "test", row.customer)
    await signing_in.send_link(shop.context, at, row.customer, None, "127.0.0.1")
    await signing_in.set_password(shop.context, who, "a session", "three plain words")
    await signing_in.enter_with_password(shop.context, at, row.customer, "three plain words", Where("127.0.0.1"))


def picture() -> bytes:
    """A small picture, as a file."""
    written = io.BytesIO()
    Image.new("RGB", (40, 30), "#6A2C38").save(written, "PNG")
    return written.getvalue()


def test_every_table_with_a_site_is_guarded_and_owned_by_the_owner(database: Database) -> None:
    with psycopg.connect(database.superuser) as db:
        tables = db.execute(
            "select c.relname, c.relrowsecurity, c.relforcerowsecurity, r.rolname, exists (select 1 from"
            " information_schema.columns i where i.table_name = c.relname and i.column_name = 'site_id')"
            " from pg_class c join pg_roles r on r.oid = c.relowner join pg_namespace n on n.oid = c.relnamespace"
            " where n.nspname = 'public' and c.relkind = 'r'"
        ).fetchall()
    guarded = {name for name, on, forced, _, _ in tables if on and forced}
    assert guarded == set(SITE_TABLES)
    assert {name for name, *_, has_site in tables if has_site} <= guarded
    assert {owner for _, _, _, owner, _ in tables} == {"skurrow_owner"}


async def test_without_a_site_the_application_sees_nothing_and_with_another_neither(shop: Shop) -> None:
    await books.clear_test_book(shop.context, shop.site_id, shop.person_id)
    await _paid_order(shop)
    (order,) = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    asked = [Asked(0, "1.00")]
    await refunds.refund(shop.context, shop.site_id, None, "test", order.code, uuid.uuid4(), asked, "1.00")
    story = await books.story(shop.context, shop.site_id, "test", order.code)
    await buy_plainly(shop, expected="48.00", choice=Choice(variant="moss", delivery="collect"))
    (other, _) = (await books.page(shop.context, shop.site_id, "test", None, "")).orders
    await taking_out.take_out(shop.context, shop.site_id, other.code, shop.person_id)
    told = Dispute("d", "open", 100, "EUR", "other", shop.clock())
    (connection,) = await gateways.connected(shop.context, shop.site_id)
    await disputes.note_dispute(shop.context, shop.site_id, story.attempts[0].id, told, connection.id)
    await reconciling.compare(shop.context, shop.site_id, connection.id)
    await releases.release(shop.context, shop.site_id, None, 1)
    somebody = Person(shop.person_id, "dev@ostrel.example", "Noor Vermaat", "")
    await products.recount(shop.context, shop.site_id, shop.person_id, "coptic-kit", "test", "", 39, 38)
    await tax_numbers.ask(shop.context, shop.site_id, "test", "BE0999000030", "BE")
    await pictures.add(shop.context, shop.site_id, None, "kit.png", picture())
    await members.invite(shop.context, shop.site_id, somebody, "new@mail.example.org", "owner")
    account = shop.cards.installation.test_gateways()["transfer"]
    await gateways.connect(shop.context, shop.site_id, "transfer", "test", account)
    content = camt([("1.00", "a", "A")])
    await transfers.take_statement(shop.context, shop.site_id, "test", "day", content, shop.person_id)
    await _subscribed(shop)
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        await reviews.add_review(Book(db, shop.site_id, "test"), order.id, ["why"], shop.clock())
    await buyer_password.password_at_checkout(
        shop.context, shop.site_id, "test", uuid.uuid4(), "a@b.example", "three words"
    )
    opened = read_visit(shop.context, (await opening.open_counter(shop.context, "ostrel-shop")).visit)
    await baskets.put(shop.context, opened, uuid.uuid4(), [Thing("kit", 1, "moss")])
    typed = give_backs.Typed("Jo", "jo@b.example", "", "all", "")
    await give_backs.ask(shop.context, shop.site_id, "test", uuid.uuid4(), typed, "127.0.0.1")
    await selling_states.stop_part(shop.context, shop.site_id, shop.person_id, "product", "coptic-kit", "")
    with psycopg.connect(shop.database.superuser) as everything:
        everything.execute(
            "insert into mailbox_collisions (site_id, what, mailbox) values (%s, 'x', 'y')", (shop.site_id,)
        )
        everything.commit()
        for table in set(SITE_TABLES) - {"gateway_events"}:
            count = everything.execute(sql.SQL("select count(*) from {}").format(sql.Identifier(table))).fetchone()
            assert count is not None
            assert count[0] > 0, f"{table} has rows that could be seen"
    with psycopg.connect(shop.database.app) as db:
        for site in (None, uuid.uuid4()):
            db.execute("select set_config('skurrow.site', %s, true)", (str(site or ""),))
            for table in SITE_TABLES:
                rows = db.execute(sql.SQL("select * from {}").format(sql.Identifier(table))).fetchall()
                assert rows == [], table


async def test_a_row_cannot_be_written_for_another_site(shop: Shop) -> None:
    with psycopg.connect(shop.database.app) as db:
        db.execute("select set_config('skurrow.site', %s, true)", (str(shop.site_id),))
        with pytest.raises(errors.InsufficientPrivilege):
            db.execute("insert into addresses values ('x', %s, 'kit')", (uuid.uuid4(),))


@pytest.mark.parametrize(
    "statement",
    [
        "update part_revisions set body = '{}'",
        "delete from part_revisions",
        "update releases set change = 99",
        "delete from orders",
        "update charges set amount = 1",
        "delete from charges",
        "delete from refunds",
        "delete from papers",
        "delete from events",
        "truncate orders cascade",
        "drop table orders",
        "alter table orders disable row level security",
    ],
)
async def test_the_application_cannot_rewrite_history(shop: Shop, statement: str) -> None:
    await _paid_order(shop)
    with psycopg.connect(shop.database.app) as db:
        db.execute("select set_config('skurrow.site', %s, true)", (str(shop.site_id),))
        with pytest.raises((errors.InsufficientPrivilege, errors.IntegrityConstraintViolation)):
            db.execute(statement.encode())


@pytest.mark.parametrize(
    ("statement", "says"),
    [
        ("update attempts set state = 'open', closed_at = null", "cannot become open"),
        ("update attempts set state = 'refused', reason = 'x'", "cannot become refused"),
        ("update orders set state = 'open', paid_at = null", "cannot become open"),
        ("update orders set total = 1", "is paid"),
        ("update orders set mode = 'live'", "is paid"),
        ("insert into reviews (order_id, site_id, mode, reasons, at, state)"
         " select id, site_id, mode, '[]', now(), 'passed' from orders", "decided_has_its_time"),
        ("update charges set amount = 1", "keeps what was written"),
        ("update part_revisions set change = 9", "keeps what was written"),
        ("update events set kind = 'x'", "keeps what was written"),
        ("insert into attempts select gen_random_uuid(), site_id, mode, order_id, connection_id, currency, amount,"
         " 'open', null, null, now(), null, now(), 0 from attempts", "attempts_one_an_order"),
        ("insert into attempts select gen_random_uuid(), site_id, 'live', order_id, connection_id, currency, amount,"
         " 'open', null, null, now(), null, now(), 0 from attempts", "violates foreign key"),
        ("insert into orders select gen_random_uuid(), site_id, 'live', gen_random_uuid(), 'X', checkout_id, change,"
         " null, 'open', buyer, currency, total, quote, now(), null from orders", "live_buyers_meet_releases"),
        ("insert into orders select gen_random_uuid(), site_id, 'live', gen_random_uuid(), 'X', checkout_id, change,"
         " 7, 'open', buyer, currency, total, quote, now(), null from orders", "violates foreign key"),
    ],
)  # fmt: skip
async def test_even_the_owner_cannot_store_an_impossible_state(shop: Shop, statement: str, says: str) -> None:
    await _paid_order(shop)
    with psycopg.connect(shop.database.owner) as db, pytest.raises(psycopg.IntegrityError, match=says):
        db.execute(statement.encode())


@pytest.mark.parametrize(
    "statement",
    [
        "update attempts set waits = 'bank'",
        "update orders set state = 'waiting'",
        "update orders set state = 'paid', paid_at = now()",
        "update orders set state = 'cancelled'",
        "update attempts set state = 'paid', closed_at = now(), sealed_token = null",
    ],
)
async def test_an_order_is_what_its_attempts_say(shop: Shop, statement: str) -> None:
    """An order with an open attempt that waits for nobody can become none of these by itself."""
    counter = await opening.open_counter(shop.context, "ostrel-kit")
    visit = read_visit(shop.context, counter.visit)
    token = await shop.cards.token(NUMBERS["no_answer"])
    payment = payment_of("a@example.org", "A", "NL", token, "48.00", Choice(variant="moss", delivery="collect"))
    assert (await paying.pay(shop.context, visit, payment)).state == "pending"
    says = r"its attempts are not|cannot become"
    with pytest.raises(psycopg.IntegrityError, match=says), psycopg.connect(shop.database.owner) as db:
        db.execute(statement.encode())


async def test_a_transaction_that_fails_leaves_nothing(shop: Shop) -> None:
    async def fail() -> None:
        async with site_transaction(shop.context.pool, shop.site_id) as db:
            await sites.next_change(db, shop.site_id)
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        await fail()
    async with site_transaction(shop.context.pool, shop.site_id) as db:
        row = await sites.site(db, shop.site_id)
    assert row is not None
    assert row.head_change == 1


def test_migrating_twice_and_at_once_does_it_once(cluster: Cluster) -> None:
    cluster.create_database("twice")
    problems: list[Exception] = []

    def run() -> None:
        try:
            migrate(cluster.dsn("skurrow_owner", "twice"))
        except Exception as error:
            problems.append(error)

    threads = [threading.Thread(target=run) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    cluster.drop_database("twice")
    assert problems == []
