"""People of a site: roles, invitations by mail, the second step, sessions."""

from __future__ import annotations

import asyncio
import re
import smtplib
from collections.abc import AsyncIterator
from dataclasses import replace
from datetime import timedelta

import httpx
import pyotp
import pytest

from skurrow.core.problems import InvalidInput
from skurrow.run.demo import EMAIL
from skurrow.run.installation import Installation
from skurrow.run.ports import Ports, any_free
from skurrow.service.limits import SIGN_IN
from skurrow.service.mail import mail
from skurrow.service.people import members, sign_in, their_sites, two_step
from skurrow.service.people.roles import RIGHTS, beyond_texts, may
from skurrow.service.people.sign_in import SEEN_EVERY, SESSION_LIFE, SecondStep, Where
from skurrow.service.people.their_sites import NewSite
from skurrow.service.refusals import Conflict, NotFound, TooMany
from skurrow.service.smtp import SmtpServer
from skurrow.store.database import run, siteless_transaction, value
from skurrow.store.people import people
from skurrow.store.people.people import Person
from tests.conftest import PASSWORD, Shop, own_folder, strict

SOMEWHERE = "127.0.0.1"
HERE = Where(SOMEWHERE)


@pytest.fixture
async def mailbox(shop: Shop) -> AsyncIterator[str]:
    """The stand-in mailbox as a process of its own; the shop's mail goes there."""
    folder = own_folder("mailbox")
    ports = Ports(*(any_free() for _ in vars(Ports())))
    part = Installation(folder, ports).mailbox()
    url = f"http://127.0.0.1:{ports.mailbox}"
    await part.start()
    await part.wait_until_healthy()
    shop.context.settings = replace(shop.context.settings, smtp=SmtpServer(SOMEWHERE, ports.smtp))
    try:
        yield url
    finally:
        await part.stop()


async def noor(shop: Shop) -> Person:
    async with siteless_transaction(shop.context.pool) as db:
        found = await people.person_by_email(db, EMAIL)
    assert found is not None
    return found


async def invite(shop: Shop, email: str = "wessel@mail.example.org", role: str = "owner") -> str:
    """Invites somebody; the token of the mail that was put by for them."""
    made = await members.invite(shop.context, shop.site_id, await noor(shop), email, role)  # type: ignore[arg-type]
    async with siteless_transaction(shop.context.pool) as db:
        await run(db, "select set_config('skurrow.site', %(s)s, true)", {"s": str(shop.site_id)})
        sealed = await value(db, "select sealed_text from mails where key = %(k)s", {"k": f"invitation {made.id}"})
    found = re.search(r"/invited/(\S+)", shop.context.vault.open(sealed))
    assert found
    return found[1]


async def test_an_invitation_arrives_once_and_makes_a_member(shop: Shop, mailbox: str) -> None:
    token = await invite(shop)
    assert await mail.send(shop.context) == 1
    assert await mail.send(shop.context) == 0
    async with httpx.AsyncClient() as client:
        (kept,) = (await client.get(f"{mailbox}/mails")).json()
        page = (await client.get(f"{mailbox}/mail/{kept['id']}")).text
    assert (kept["to"], kept["subject"]) == ("wessel@mail.example.org", "Work on Ostrel Bindery")
    assert f"http://localhost:8400/invited/{token}" in kept["text"]
    assert f'href="http://localhost:8400/invited/{token}"' in page
    invited = await members.look_at(shop.context, token)
    assert (invited.site_name, invited.role, invited.known) == ("Ostrel Bindery", "owner", False)
    person = await members.accept(shop.context, token, None, "Wessel", "a long password")
    team = await members.team(shop.context, shop.site_id)
    assert {(m.name, m.role) for m in team.members} == {("Noor Vermaat", "developer"), ("Wessel", "owner")}
    assert team.invitations == []
    assert await sign_in.sign_in(shop.context, person.email.upper(), "a long password", HERE)
    with pytest.raises(NotFound, match="is over"):
        await members.accept(shop.context, token, None, "Again", "a long password")


async def test_mail_waits_for_a_server_that_is_away_and_is_not_sent_twice(shop: Shop, mailbox: str) -> None:
    there = shop.context.settings.smtp
    shop.context.settings = replace(shop.context.settings, smtp=SmtpServer(SOMEWHERE, any_free()))
    await invite(shop)
    assert await mail.send(shop.context) == 1
    assert await mail.send(shop.context) == 0, "not at once again"
    shop.context.settings = replace(shop.context.settings, smtp=there)
    shop.clock.ahead = timedelta(minutes=1)
    assert await mail.send(shop.context) == 1
    # The process dies after handing over and before noting it: the same mail again is one mail in the box.
    async with siteless_transaction(shop.context.pool) as db:
        await run(db, "select set_config('skurrow.site', %(s)s, true)", {"s": str(shop.site_id)})
        await run(db, "update mails set sent_at = null, send_at = now() - interval '1 hour'")
    assert await mail.send(shop.context) == 1
    async with httpx.AsyncClient() as client:
        assert len((await client.get(f"{mailbox}/mails")).json()) == 1


async def test_the_mailbox_shows_markup_as_text(shop: Shop, mailbox: str) -> None:
    server = shop.context.settings.smtp
    with smtplib.SMTP(server.host, server.port) as smtp:
        smtp.sendmail("a@example.org", ["b@example.org"], b"Subject: <b>bold</b>\r\n\r\n<script>alert(1)</script>\r\n")
    async with httpx.AsyncClient() as client:
        page = (await client.get(mailbox)).text
        assert (await client.get(f"{mailbox}/mail/nothing")).status_code == 404
    assert "<script>" not in page
    assert "<b>bold</b>" not in page


async def test_an_invitation_ends_of_age_or_when_it_is_withdrawn(shop: Shop) -> None:
    old = await invite(shop)
    with pytest.raises(InvalidInput, match="invited already"):
        await invite(shop, "WESSEL@mail.example.org")
    shop.clock.ahead = members.INVITATION_LIFE
    with pytest.raises(NotFound, match="ask for a new one"):
        await members.look_at(shop.context, old)
    new = await invite(shop)
    (one,) = (await members.team(shop.context, shop.site_id)).invitations
    await members.withdraw(shop.context, shop.site_id, one.id)
    with pytest.raises(NotFound):
        await members.look_at(shop.context, new)
    with pytest.raises(NotFound):
        await members.withdraw(shop.context, shop.site_id, one.id)
    with pytest.raises(NotFound):
        await members.look_at(shop.context, "forged")


async def test_whoever_has_an_account_accepts_with_it_and_nobody_else_does(shop: Shop) -> None:
    with pytest.raises(InvalidInput, match="works on this site already"):
        await invite(shop, EMAIL.upper())
    await members.accept(shop.context, await invite(shop), None, "Wessel", "a long password")
    async with siteless_transaction(shop.context.pool) as db:
        wessel = await people.person_by_email(db, "wessel@mail.example.org")
    assert wessel is not None
    await members.remove(shop.context, shop.site_id, wessel.id)
    token = await invite(shop, role="onlooker")
    for stranger in (None, await noor(shop)):
        with pytest.raises(Conflict, match="Sign in with it"):
            await members.accept(shop.context, token, stranger, "Thief", "another password")
    assert (await members.accept(shop.context, token, wessel, "", "")).id == wessel.id
    assert await sign_in.sign_in(shop.context, wessel.email, "a long password", HERE), "the password stays"


async def test_two_who_accept_at_once_are_one_member(shop: Shop) -> None:
    token = await invite(shop)
    tries = [members.accept(shop.context, token, None, f"W{n}", "a long password") for n in range(4)]
    results = await asyncio.gather(*tries, return_exceptions=True)
    assert sum(isinstance(one, Person) for one in results) == 1, results
    assert all(isinstance(one, Person | NotFound | Conflict) for one in results), results


async def test_a_site_keeps_a_developer_even_if_two_leave_at_once(shop: Shop) -> None:
    second = await members.accept(shop.context, await invite(shop, role="developer"), None, "Second", "a long password")
    leaving = [members.remove(shop.context, shop.site_id, one) for one in (shop.person_id, second.id)]
    results = await asyncio.gather(*leaving, return_exceptions=True)
    assert sum(isinstance(one, InvalidInput) for one in results) == 1, results
    (left,) = (await members.team(shop.context, shop.site_id)).members
    with pytest.raises(InvalidInput, match="at least one developer"):
        await members.change_role(shop.context, shop.site_id, left.person_id, "owner")


async def test_new_sites_have_codes_of_their_own_and_wrong_ones_name_the_field(shop: Shop) -> None:
    person = await noor(shop)
    site = NewSite("Shop", "https://www.shop.example/a", "DE", "EUR", "Europe/Berlin")
    codes = [await their_sites.add(shop.context, person, site) for _ in range(2)]
    assert codes[0] == "shop-example"
    assert codes[1].startswith("shop-example-")
    with pytest.raises(InvalidInput) as refused:
        await their_sites.add(shop.context, person, NewSite("", "nonsense", "XX", "EU", "Mars/Base"))
    assert {p.where for p in refused.value.problems} == {"name", "url", "country", "currency", "time_zone"}


def test_rights_are_what_the_roles_say() -> None:
    assert RIGHTS["developer"] > RIGHTS["owner"] > RIGHTS["onlooker"] == frozenset()
    assert may("owner", "sales")
    assert not may("owner", "configure")
    assert not may("nobody", "sales")


@pytest.mark.parametrize(
    ("kind", "after", "beyond"),
    [
        ("product", {"name": "New", "prices": [{"id": "kit", "label": "L", "amount": {"EUR": "1"}}]}, []),
        ("product", {"name": "Kit", "prices": [{"id": "kit", "amount": {"EUR": "2"}}]}, ["price kit, EUR"]),
        ("product", {"name": "Kit", "stock": 1, "prices": [{"id": "kit", "amount": {"EUR": "1"}}]}, ["stock"]),
        ("product", None, ["name", "price kit"]),
        ("tax", {"name": "New", "prices": [{"id": "kit", "amount": {"EUR": "1"}}]}, ["name"]),
    ],
)
def test_what_is_more_than_wording_is_named(kind: str, after: object, beyond: list[str]) -> None:
    before = {"name": "Kit", "prices": [{"id": "kit", "amount": {"EUR": "1"}}]}
    assert beyond_texts(kind, before, after) == beyond


# -- the second step ------------------------------------------------------------------------------------------


async def turned_on(shop: Shop) -> tuple[pyotp.TOTP, list[str]]:
    person = await noor(shop)
    offer = two_step.offer(shop.context, person)
    totp = pyotp.TOTP(offer.key)
    return totp, await two_step.turn_on(shop.context, person, offer.sealed, totp.at(shop.clock()))


async def try_code(shop: Shop, code: str | None) -> str | None:
    return await sign_in.sign_in(shop.context, EMAIL, PASSWORD, HERE, code)


async def test_a_code_is_asked_for_after_the_password_and_counts_once(shop: Shop) -> None:
    # At the beginning of a step of half a minute, so that the step does not end before the same code is tried again.
    shop.clock.ahead += timedelta(seconds=30 - shop.clock().timestamp() % 30)
    totp, _ = await turned_on(shop)
    assert await sign_in.sign_in(shop.context, EMAIL, "wrong", HERE, "000000") is None, "says nothing of codes"
    with pytest.raises(SecondStep) as asked:
        await try_code(shop, None)
    assert not asked.value.wrong
    with pytest.raises(SecondStep):
        await try_code(shop, totp.at(shop.clock()))  # it has turned the second step on: used already
    shop.clock.ahead += timedelta(seconds=60)
    code = totp.at(shop.clock())
    results = await asyncio.gather(*(try_code(shop, code) for _ in range(8)), return_exceptions=True)
    assert sum(isinstance(one, str) for one in results) == 1, "one code, one session"


@pytest.mark.parametrize(("seconds", "fits"), [(0, True), (30, True), (-30, True), (90, False), (-90, False)])
async def test_clocks_may_differ_by_half_a_minute(shop: Shop, seconds: int, fits: bool) -> None:
    totp, _ = await turned_on(shop)
    shop.clock.ahead = timedelta(minutes=10)
    # At the beginning of a step of half a minute, so that the step does not end while a slow machine looks at the code.
    shop.clock.ahead += timedelta(seconds=30 - shop.clock().timestamp() % 30)
    code = totp.at(shop.clock() + timedelta(seconds=seconds))
    if fits:
        assert await try_code(shop, f"{code[:3]} {code[3:]}")
    else:
        with pytest.raises(SecondStep):
            await try_code(shop, code)


async def test_a_recovery_code_stands_in_once_and_all_go_when_it_is_turned_off(shop: Shop) -> None:
    _, codes = await turned_on(shop)
    assert len(set(codes)) == two_step.RECOVERY_CODES
    at_once = (try_code(shop, typed) for typed in [codes[0].upper(), codes[0]] * 4)
    results = await asyncio.gather(*at_once, return_exceptions=True)
    assert sum(isinstance(one, str) for one in results) == 1, "one code, one session, also by eight at once"
    with pytest.raises(SecondStep):
        await try_code(shop, codes[0])
    assert await sign_in.shows_password(shop.context, await noor(shop), PASSWORD, HERE)
    await two_step.turn_off(shop.context, await noor(shop))
    assert await try_code(shop, None)
    async with siteless_transaction(shop.context.pool) as db:
        assert await value(db, "select count(*) from recovery_codes") == 0


async def test_it_is_turned_on_by_a_code_of_ones_own_key_only(shop: Shop) -> None:
    person = await noor(shop)
    offer = two_step.offer(shop.context, person)
    code = pyotp.TOTP(offer.key).at(shop.clock())
    other = replace(person, id=shop.context.new_id())
    for owner, sealed, typed in (
        (other, offer.sealed, code),
        (person, "forged", code),
        (person, offer.sealed, "000000"),
    ):
        with pytest.raises(InvalidInput, match="does not fit"):
            await two_step.turn_on(shop.context, owner, sealed, typed)
    assert (await noor(shop)).sealed_totp is None


async def test_another_device_takes_the_place_of_one_only_after_the_password(shop: Shop) -> None:
    totp, _ = await turned_on(shop)
    person = await noor(shop)
    offer = two_step.offer(shop.context, person)
    with pytest.raises(InvalidInput, match="on already"):
        await two_step.turn_on(shop.context, person, offer.sealed, pyotp.TOTP(offer.key).at(shop.clock()))
    shop.clock.ahead = timedelta(seconds=60)
    assert await try_code(shop, totp.at(shop.clock())), "the first one still fits"


async def test_the_key_lies_sealed_and_codes_hashed(shop: Shop) -> None:
    totp, codes = await turned_on(shop)
    async with siteless_transaction(shop.context.pool) as db:
        stored = await value(db, "select sealed_totp from people")
        hashes = [bytes(row[0]) for row in await (await db.execute("select code_hash from recovery_codes")).fetchall()]
    assert totp.secret.encode() not in bytes(stored)
    assert shop.context.vault.open(stored) == totp.secret
    assert not any(code.encode() in found for code in codes for found in hashes)


async def test_guesses_of_codes_are_limited_as_passwords_are(shop: Shop) -> None:
    strict(shop.context)
    await turned_on(shop)
    for _ in range(SIGN_IN.most):
        with pytest.raises(SecondStep):
            await try_code(shop, "123456")
    with pytest.raises(TooMany):
        await try_code(shop, "123456")


# -- sessions -------------------------------------------------------------------------------------------------


async def test_sessions_are_listed_ended_and_run_out(shop: Shop) -> None:
    tokens = [str(await sign_in.sign_in(shop.context, EMAIL, PASSWORD, replace(HERE, agent=f"B{n}"))) for n in range(3)]
    person = await noor(shop)
    listed = await sign_in.sessions(shop.context, person)
    assert {one.agent for one in listed} == {"B0", "B1", "B2"}
    await sign_in.end_one(shop.context, person, next(one.id for one in listed if one.agent == "B1"))
    assert [await sign_in.who_is(shop.context, token) is not None for token in tokens] == [True, False, True]
    with pytest.raises(NotFound):
        await sign_in.end_one(shop.context, replace(person, id=shop.context.new_id()), listed[0].id)
    shop.clock.ahead = SESSION_LIFE
    assert await sign_in.who_is(shop.context, tokens[0]) is None
    assert await sign_in.sessions(shop.context, person) == []


async def test_when_a_session_was_used_last_is_noted_now_and_then(shop: Shop) -> None:
    token = str(await sign_in.sign_in(shop.context, EMAIL, PASSWORD, HERE))
    person = await noor(shop)
    (begun,) = await sign_in.sessions(shop.context, person)
    shop.clock.ahead = SEEN_EVERY / 2
    await sign_in.who_is(shop.context, token)
    assert (await sign_in.sessions(shop.context, person))[0].seen_at == begun.seen_at
    shop.clock.ahead = SEEN_EVERY * 2
    found = await sign_in.who_is(shop.context, token)
    assert (await sign_in.sessions(shop.context, person))[0].seen_at != begun.seen_at
    assert found is not None
    assert [(m.code, m.name, m.role) for m in found[1]] == [("ostrel", "Ostrel Bindery", "developer")]
