"""The stand-in card gateway through its adapter (the contract), and by itself."""

from __future__ import annotations

import asyncio
import json
import shutil
import sqlite3
import subprocess
import threading
import uuid
from collections.abc import AsyncIterator, Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer

import httpx
import pytest
from standardwebhooks import Webhook

from skurrow.gateway.contract import (
    ApprovalContract,
    Approve,
    AtOnceContract,
    BringAbout,
    GatewayContract,
    LaterContract,
    OnFileContract,
    Token,
)
from skurrow.gateway.protocol import ChargeRequest, Credentials, Gateway, NeedsApproval, Reach
from skurrow.gateway.standin import StandIn, StandInCards, StandInDebit, StandInWallet
from skurrow.run.installation import Installation
from skurrow.run.ports import Ports, any_free
from tests.conftest import Cards, own_folder, wait_for

NUMBERS = {
    "approved": "9100246810121409",
    "elsewhere": "9110246810121605",
    "no_funds": "9200246810122406",
    "lost": "9300246810123403",
    "expired": "9400246810124400",
    "slow": "9500246810125406",
    "no_answer": "9600246810126403",
    "cut": "9700246810127400",
    "no_refund": "9800246810128407",
    "approval": "9150246810121614",
    "disputed": "9850246810128505",
    "fails_once": "9120246810121207",
    "fails_later": "9130246810121304",
    "approval_later": "9160246810121604",
}


class _StandIn:
    """What the contract needs of any stand-in: its adapter, connected with the right key and with a wrong one."""

    adapter: type[StandIn]
    name: str

    @pytest.fixture
    async def client(self) -> AsyncIterator[httpx.AsyncClient]:
        async with httpx.AsyncClient(timeout=1) as client:
            yield client

    def _reach(self, cards: Cards) -> Reach:
        return Reach(cards.api(self.name), f"http://{self.name}.localhost")

    @pytest.fixture
    def gateway(self, client: httpx.AsyncClient, cards: Cards) -> Gateway:
        key = cards.installation.test_gateways()[f"standin-{self.name}"]
        return self.adapter(client, self._reach(cards), "test", key)

    @pytest.fixture
    def refused_gateway(self, client: httpx.AsyncClient, cards: Cards) -> Gateway:
        return self.adapter(client, self._reach(cards), "test", Credentials(cards.test.merchant, "wrong"))


class TestContract(_StandIn, GatewayContract, AtOnceContract, ApprovalContract, OnFileContract):
    """The stand-in's adapter passes the suite that every adapter has to pass."""

    adapter, name = StandInCards, "cards"

    @pytest.fixture
    def approve(self, cards: Cards) -> Approve:
        async def decide(address: str, yes: bool) -> None:
            path = address.removeprefix("http://cards.localhost")
            async with httpx.AsyncClient(base_url=cards.url) as buyer:
                assert "EUR 48.00" in (await buyer.get(path)).text
                answer = "answer=approve" if yes else "answer=refuse"
                assert ("Approved" in (await buyer.post(path, content=answer)).text) is yes

        return decide

    @pytest.fixture
    def token(self, cards: Cards) -> Token:
        async def make(behaviour: str) -> str:
            return await cards.token(NUMBERS[behaviour])

        return make

    @pytest.fixture
    def bring_about(self) -> BringAbout:
        async def nothing(gateway: Gateway, request: ChargeRequest) -> None:
            raise AssertionError("a card is charged at once")

        return nothing


class TestWalletContract(_StandIn, GatewayContract, ApprovalContract):
    """The wallet's adapter passes it, too: there is no token, and the buyer leaves."""

    adapter, name = StandInWallet, "wallet"

    @pytest.fixture
    def token(self) -> Token:
        async def make(behaviour: str) -> str:
            return ""

        return make

    @pytest.fixture
    def approve(self, cards: Cards) -> Approve:
        async def decide(address: str, yes: bool) -> None:
            path = address.removeprefix("http://wallet.localhost")
            async with httpx.AsyncClient(base_url=cards.api("wallet")) as buyer:
                assert "EUR 48.00" in (await buyer.get(path)).text
                answer = await buyer.post(path, data={"answer": "pay" if yes else "cancel"})
                assert (answer.status_code, answer.headers["location"]) == (303, "https://shop.example/back")

        return decide

    @pytest.fixture
    def bring_about(self, approve: Approve) -> BringAbout:
        async def pay(gateway: Gateway, request: ChargeRequest) -> None:
            waiting = await gateway.look_up(request.key)
            assert isinstance(waiting, NeedsApproval)
            await approve(waiting.address, True)

        return pay


class TestDebitContract(_StandIn, GatewayContract, LaterContract, OnFileContract):
    """So does direct debit's."""

    adapter, name = StandInDebit, "debit"

    @pytest.fixture
    def token(self, cards: Cards) -> Token:
        async def make(behaviour: str) -> str:
            return await cards.account_token("confirmed" if behaviour == "approved" else behaviour)

        return make

    @pytest.fixture
    def bring_about(self, cards: Cards) -> BringAbout:
        async def wait(gateway: Gateway, request: ChargeRequest) -> None:
            await cards.days_pass(3)
            await asyncio.sleep(0.3)

        return wait


@pytest.fixture
async def api(cards: Cards) -> AsyncIterator[httpx.AsyncClient]:
    auth = (cards.test.merchant, cards.test.key)
    async with httpx.AsyncClient(base_url=cards.url, auth=auth, timeout=10) as client:
        yield client


async def charged(api: httpx.AsyncClient, cards: Cards, behaviour: str = "approved", key: str = "") -> httpx.Response:
    body = {"amount": "48.00", "currency": "EUR", "token": await cards.token(NUMBERS[behaviour])}
    return await api.put(f"/charges/{key or uuid.uuid4()}", json=body)


async def test_a_charge_has_a_record_that_a_person_can_look_at(api: httpx.AsyncClient, cards: Cards) -> None:
    made = (await charged(api, cards, "disputed")).json()
    await api.put(f"/charges/{made['key']}/refunds/{uuid.uuid4()}", json={"amount": "8.00"})
    async with httpx.AsyncClient(base_url=cards.url) as person:
        page = (await person.get(f"/records/{made['id']}")).text
        for told in ("EUR 48.00, approved", made["key"], "EUR 8.00", "not_recognised", "8505"):
            assert told in page
        assert (await person.get("/records/x")).status_code == 404


async def test_the_payment_method_leads_to_an_application_of_the_gateways_own(cards: Cards) -> None:
    """W3C Payment Method Manifest: a link from the method to its manifest, from there to the application's."""
    async with httpx.AsyncClient(base_url=cards.url) as browser:
        found = await browser.head("/pay")
        link = f'<{cards.url}/payment-method.json>; rel="payment-method-manifest"'
        assert found.headers["link"] == link
        manifest = (await browser.get("/payment-method.json")).json()
        assert manifest == {"default_applications": [f"{cards.url}/pay-app.json"], "supported_origins": []}
        application = await browser.get("/pay-app.json")
        assert application.headers["content-type"] == "application/manifest+json"
        worker = application.json()["serviceworker"]
        for address in (worker["src"], application.json()["icons"][0]["src"], "/pay-window", "/pay-window.js"):
            assert (await browser.get(address)).status_code == 200
        assert "paymentrequest" in (await browser.get(worker["src"])).text


@pytest.mark.parametrize("behaviour", ["no_funds", "lost", "expired"])
async def test_cards_are_refused_for_their_own_reason(api: httpx.AsyncClient, cards: Cards, behaviour: str) -> None:
    answer = (await charged(api, cards, behaviour)).json()
    assert (answer["outcome"], answer["reason"]) == ("refused", behaviour)


async def test_a_slow_card_is_being_worked_on_in_between(api: httpx.AsyncClient, cards: Cards) -> None:
    key = str(uuid.uuid4())
    body = {"amount": "48.00", "currency": "EUR", "token": await cards.token(NUMBERS["slow"])}
    sent = asyncio.create_task(api.put(f"/charges/{key}", json=body))
    await asyncio.sleep(0.5)
    assert (await api.get(f"/charges/{key}")).json()["outcome"] == "pending"
    assert (await api.put(f"/charges/{key}", json=body)).status_code == 425
    assert (await sent).json()["outcome"] == "approved"


async def on_file(api: httpx.AsyncClient, cards: Cards, behaviour: str) -> str:
    body = {"amount": "0.00", "currency": "EUR", "token": await cards.token(NUMBERS[behaviour]), "keep": True}
    return str((await api.put(f"/charges/{uuid.uuid4()}", json=body)).json()["kept"]["token"])


async def again(api: httpx.AsyncClient, kept: str) -> tuple[str, str | None]:
    body = {"amount": "24.00", "currency": "EUR", "on_file": kept}
    answer = (await api.put(f"/charges/{uuid.uuid4()}", json=body)).json()
    return answer["outcome"], answer["reason"]


@pytest.mark.parametrize(
    ("behaviour", "outcomes"),
    [
        ("approved", ["approved", "approved", "approved"]),
        ("fails_once", ["approved", "refused", "approved"]),
        ("fails_later", ["approved", "refused", "refused"]),
        ("approval_later", ["pending", "pending", "pending"]),
    ],
)
async def test_cards_on_file_behave_by_the_number_of_their_charges(
    api: httpx.AsyncClient, cards: Cards, behaviour: str, outcomes: list[str]
) -> None:
    kept = await on_file(api, cards, behaviour)
    assert [(await again(api, kept))[0] for _ in outcomes] == outcomes


async def test_a_card_expires_by_the_calendar_and_charges_bear_its_time(api: httpx.AsyncClient, cards: Cards) -> None:
    """On a calendar of its own, so that no other test meets it."""
    async with httpx.AsyncClient(base_url=cards.url, auth=(cards.live.merchant, cards.live.key)) as live:
        now = datetime.now(UTC)
        month = f"{now.year + 1}-06"
        body = {"merchant": cards.live.merchant, "mode": "live", "number": NUMBERS["approved"], "code": "123"}
        token = (await live.post("/tokens", json={**body, "expires": month})).json()["token"]
        wanted = {"amount": "0.00", "currency": "EUR", "token": token, "keep": True}
        kept = (await live.put(f"/charges/{uuid.uuid4()}", json=wanted)).json()["kept"]["token"]
        await live.put("/calendar", json={"at": f"{month}-30T10:00:00Z"})
        made = await live.put(f"/charges/{uuid.uuid4()}", json={"amount": "24.00", "currency": "EUR", "on_file": kept})
        assert made.json()["outcome"] == "approved"
        assert made.json()["at"].startswith(f"{month}-30T10:00")
        await live.put("/calendar", json={"at": f"{now.year + 1}-07-01T10:00:00Z"})
        assert await again(live, kept) == ("refused", "expired")
        back = (await live.delete("/calendar")).json()["at"]
        assert abs(datetime.fromisoformat(back) - now) < timedelta(minutes=5)


async def test_a_charge_of_a_card_on_file_waits_a_week_for_its_buyer(api: httpx.AsyncClient, cards: Cards) -> None:
    kept, key = await on_file(api, cards, "approval_later"), uuid.uuid4()
    body = {"amount": "24.00", "currency": "EUR", "on_file": kept}
    waiting = (await api.put(f"/charges/{key}", json=body)).json()
    made, until = (datetime.fromisoformat(waiting[name]) for name in ("at", "approve_by"))
    assert until - made == timedelta(days=7)


async def test_a_charge_is_of_one_source(api: httpx.AsyncClient, cards: Cards) -> None:
    nothing = {"amount": "24.00", "currency": "EUR"}
    for body in (nothing, {**nothing, "token": await cards.token(), "on_file": "x"}):
        assert (await api.put(f"/charges/{uuid.uuid4()}", json=body)).status_code == 422
    assert (
        await api.put(f"/charges/{uuid.uuid4()}", json={**nothing, "amount": "0.00", "token": "x"})
    ).status_code == 422


async def test_a_key_serves_one_charge(api: httpx.AsyncClient, cards: Cards) -> None:
    key = str(uuid.uuid4())
    await charged(api, cards, key=key)
    assert (await charged(api, cards, key=key)).status_code == 409


@pytest.mark.parametrize(
    ("number", "expires", "field"),
    [
        ("4929123412341234", "2031-12", "number"),
        ("9100246810121408", "2031-12", "number"),
        ("91002468101214", "2031-12", "number"),
        ("9100246810121409", "2020-01", "expires"),
    ],
)
async def test_what_is_no_stand_in_card_gets_no_token(cards: Cards, number: str, expires: str, field: str) -> None:
    async with httpx.AsyncClient() as client:
        body = {"merchant": "ostrel", "mode": "test", "number": number, "expires": expires, "code": "123"}
        answer = await client.post(f"{cards.url}/tokens", json=body)
    assert answer.status_code == 422
    assert answer.json()["field"] == field


async def test_refunds_never_exceed_the_charge(api: httpx.AsyncClient, cards: Cards) -> None:
    key = str(uuid.uuid4())
    await charged(api, cards, key=key)

    async def refund(name: str, amount: str) -> int:
        return (await api.put(f"/charges/{key}/refunds/{name}", json={"amount": amount})).status_code

    assert await refund("a", "40.00") == 200
    assert await refund("a", "40.00") == 200  # the same again: once
    assert await refund("a", "1.00") == 409
    assert await refund("b", "8.01") == 422
    assert await refund("b", "8.00") == 200
    assert await refund("c", "0.01") == 422
    assert (await api.put(f"/charges/{uuid.uuid4()}/refunds/a", json={"amount": "1.00"})).status_code == 404


async def test_modes_and_merchants_are_apart(api: httpx.AsyncClient, cards: Cards) -> None:
    key = str(uuid.uuid4())
    await charged(api, cards, key=key)
    live = (cards.live.merchant, cards.live.key)
    assert (await api.get(f"/charges/{key}", auth=live)).status_code == 404
    test_token = await cards.token()
    body = {"amount": "1.00", "currency": "EUR", "token": test_token}
    assert (await api.put(f"/charges/{uuid.uuid4()}", json=body, auth=live)).status_code == 410


@dataclass
class Inbox:
    """A small receiver of events; it refuses the first message."""

    url: str
    messages: list[tuple[dict[str, str], bytes]] = field(default_factory=list)
    refuse: int = 1


@pytest.fixture
def inbox() -> Iterator[Inbox]:
    class Receiver(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["content-length"]))
            if box.refuse:
                box.refuse -= 1
                self.send_response(500)
            else:
                box.messages.append(({k.lower(): v for k, v in self.headers.items()}, body))
                self.send_response(204)
            self.end_headers()

        def log_message(self, *_: object) -> None:
            """Nothing is printed."""

    server = HTTPServer(("127.0.0.1", 0), Receiver)
    box = Inbox(f"http://127.0.0.1:{server.server_port}/events")
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield box
    server.shutdown()


async def test_it_survives_a_restart_and_its_events_arrive_signed(inbox: Inbox) -> None:
    folder = own_folder("restart")
    installation = Installation(folder, Ports(web=1, cards=any_free(), website=1, postgres=1))
    own = Cards(f"http://127.0.0.1:{installation.ports.cards}", installation.secrets, installation)
    part = installation.cards()

    def start() -> subprocess.Popen[bytes]:
        process = subprocess.Popen(part.command, env=part.environment)
        wait_for(f"{own.url}/health")
        return process

    process = start()
    async with httpx.AsyncClient(base_url=own.url, auth=(own.test.merchant, own.test.key)) as api:
        secret = (await api.put("/events-address", json={"url": inbox.url})).json()["secret"]
        key = str(uuid.uuid4())
        made = (await charged(api, own, key=key)).json()
        process.kill()
        process.wait()
        process = start()
        assert (await api.get(f"/charges/{key}")).json() == made
        for _ in range(100):
            if inbox.messages:
                break
            await asyncio.sleep(0.1)
    process.terminate()
    process.wait()
    headers, body = inbox.messages[0]
    assert Webhook(secret).verify(body, headers)["type"] == "charge.approved"
    assert json.loads(body)["data"]["key"] == key
    dump = "\n".join(sqlite3.connect(folder / "cards.sqlite").iterdump())
    shutil.rmtree(folder)
    assert NUMBERS["approved"] not in dump, "the gateway keeps no card numbers"
