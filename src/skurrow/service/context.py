"""What every use case is given: settings, the database, the way out to gateways, the clock, and our own keys."""

from __future__ import annotations

import copy
import hashlib
import os
from collections.abc import AsyncIterator, Callable, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import Any
from uuid import UUID

import httpx
from cryptography.fernet import Fernet, MultiFernet
from itsdangerous import BadSignature, URLSafeSerializer
from uuid_utils.compat import uuid7

from skurrow.core.payments.ways import Usable
from skurrow.gateway.protocol import Reach
from skurrow.service.lanes import Lanes
from skurrow.service.live import Live
from skurrow.service.smtp import LOCAL, SmtpServer
from skurrow.service.states import States
from skurrow.store.database import Pool, make_pool

CONNECT_SECONDS = 3.0
_GATEWAYS = {
    "standin-cards": "SKURROW_STANDIN_CARDS",
    "standin-wallet": "SKURROW_STANDIN_WALLET",
    "standin-debit": "SKURROW_STANDIN_DEBIT",
}


@dataclass(frozen=True)
class Settings:
    """Where things are, from the environment. Addresses have no slash at the end.

    `gateway_seconds` is how long a gateway has to answer a request, `database_seconds` the database a transaction.
    `proxies` are the addresses from which a forwarded address is believed. `leeway` multiplies the limits against
    abuse: rehearsals and tests come from one address. `mail_is_stand_in`: no mail leaves this machine.
    """

    database_url: str = field(repr=False)
    master_keys: tuple[str, ...] = field(repr=False)
    desk_url: str
    counter_url: str
    events_url: str
    gateways: Mapping[str, Reach]
    stand_in_origins: tuple[str, ...] = ()
    gateway_seconds: float = 12.0
    database_seconds: float = 10.0
    proxies: tuple[str, ...] = ()
    leeway: int = 1
    smtp: SmtpServer = LOCAL
    mail_is_stand_in: bool = True
    mail_from: str = "skurrow@skurrow.example"
    tax_numbers_url: str = "http://127.0.0.1:8406"
    official_rates_url: str = "http://127.0.0.1:8406"

    @property
    def first_ask(self) -> timedelta:
        """After this time the answer cannot come any more where a charge was sent, and recovery asks for it."""
        return timedelta(seconds=self.gateway_seconds + CONNECT_SECONDS + 5)

    @classmethod
    def from_environment(cls, environment: Mapping[str, str] = os.environ) -> Settings:
        """Reads SKURROW_…; raises KeyError naming the first that is missing."""
        return cls(
            database_url=environment["SKURROW_DATABASE_URL"],
            master_keys=tuple(environment["SKURROW_MASTER_KEYS"].split(",")),
            desk_url=environment["SKURROW_DESK_URL"],
            counter_url=environment["SKURROW_COUNTER_URL"],
            events_url=environment["SKURROW_EVENTS_URL"],
            gateways={
                name: Reach(environment[f"{variable}_API"], environment[f"{variable}_BROWSER"])
                for name, variable in _GATEWAYS.items()
                if f"{variable}_API" in environment
            },
            stand_in_origins=tuple(environment.get("SKURROW_STANDIN_ORIGINS", "").split()),
            gateway_seconds=float(environment.get("SKURROW_GATEWAY_SECONDS", "12")),
            database_seconds=float(environment.get("SKURROW_DATABASE_SECONDS", "10")),
            proxies=tuple(environment.get("SKURROW_PROXIES", "").split()),
            leeway=int(environment.get("SKURROW_LEEWAY", "1")),
            smtp=SmtpServer.of(
                environment.get("SKURROW_SMTP", "127.0.0.1:25"), environment.get("SKURROW_SMTP_PASSWORD", "")
            ),
            tax_numbers_url=environment.get("SKURROW_TAX_NUMBERS", "http://127.0.0.1:8406"),
            official_rates_url=environment.get("SKURROW_OFFICIAL_RATES", "http://127.0.0.1:8406"),
            mail_is_stand_in=environment.get("SKURROW_MAIL_IS_STAND_IN") == "1",
            mail_from=environment.get("SKURROW_MAIL_FROM", "skurrow@skurrow.example"),
        )


class Vault:
    """Seals what must not lie open in the database. The first key seals, all of them open."""

    def __init__(self, keys: tuple[str, ...]) -> None:
        self._fernet = MultiFernet([Fernet(key) for key in keys])

    def seal(self, text: str) -> bytes:
        """The text, encrypted and signed."""
        return self._fernet.encrypt(text.encode())

    def open(self, sealed: bytes) -> str:
        """The text again; raises cryptography's InvalidToken for anything that was not sealed here."""
        return self._fernet.decrypt(bytes(sealed)).decode()


class Signer:
    """Tokens that only we can have made: they carry plain data and a signature, and are kept nowhere."""

    def __init__(self, keys: tuple[str, ...]) -> None:
        self._keys = list(reversed(keys))
        self._made: dict[str, URLSafeSerializer] = {}
        # A buyer's browser sends the same token with every letter that is typed.
        self._verified = lru_cache(maxsize=4096)(self._verify)

    def sign(self, purpose: str, data: Any) -> str:
        """A token for one purpose."""
        return str(self._for(purpose).dumps(data))

    def read(self, purpose: str, token: str) -> Any | None:
        """The data of a token made for this purpose, or None."""
        return copy.copy(self._verified(purpose, token))

    def fingerprint(self, purpose: str, text: str) -> str:
        """The same for the same text, and of no use to whoever does not have our key."""
        key = hashlib.sha256(f"{purpose} {self._keys[-1]}".encode()).digest()
        return hashlib.blake2b(text.encode(), key=key, digest_size=16).hexdigest()

    def _verify(self, purpose: str, token: str) -> Any | None:
        try:
            return self._for(purpose).loads(token)
        except BadSignature:
            return None

    def _for(self, purpose: str) -> URLSafeSerializer:
        made = self._made.get(purpose)
        if made is None:
            strong = {"digest_method": hashlib.sha256, "key_derivation": "hmac"}
            made = self._made[purpose] = URLSafeSerializer(self._keys, salt=purpose, signer_kwargs=strong)
        return made


def _now() -> datetime:
    return datetime.now(UTC)


@dataclass
class Context:
    """One process's means. It keeps no state that another process would miss.

    `now` is the clock, by which sessions, keys and retries live. What is written into a book bears the book's date
    (`book_now`): in test mode the calendar's, which is `ahead` of the clock, or stands still `at` an instant while what
    was due then is done.
    """

    settings: Settings
    pool: Pool
    http: httpx.AsyncClient
    vault: Vault
    signer: Signer
    live: Live
    now: Callable[[], datetime] = _now
    new_id: Callable[[], UUID] = uuid7
    states: States = field(default_factory=States)
    lanes: Lanes = field(default_factory=Lanes)
    usable: dict[tuple[UUID, str], tuple[float, list[Usable]]] = field(default_factory=dict)
    ahead: timedelta = timedelta()
    at: datetime | None = None

    def book_now(self) -> datetime:
        """What the calendar of the book that is written into says."""
        return self.at or self.now() + self.ahead


@asynccontextmanager
async def open_context(settings: Settings) -> AsyncIterator[Context]:
    """The means of one process, closed at the end. It opens also while the database is away."""
    pool = make_pool(settings.database_url, seconds=settings.database_seconds)
    timeout = httpx.Timeout(settings.gateway_seconds, connect=CONNECT_SECONDS)
    async with httpx.AsyncClient(timeout=timeout, follow_redirects=False) as http:
        await pool.open(wait=False)
        try:
            live = Live(settings.database_url)
            yield Context(settings, pool, http, Vault(settings.master_keys), Signer(settings.master_keys), live)
        finally:
            await pool.close()
