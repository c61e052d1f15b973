"""One installation of Skurrow on this machine: its folder, secrets, cluster and parts, and the demo in it."""

from __future__ import annotations

import asyncio
import contextlib
import json
import os
import shutil
import signal
import sys
from collections.abc import Callable, Collection
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from skurrow.gateway.protocol import Credentials
from skurrow.gateway.standin import CLIENT
from skurrow.run import demo
from skurrow.run.cluster import APP, DURABLE, OWNER, Cluster, reachable_folder
from skurrow.run.ports import Ports
from skurrow.run.processes import Part
from skurrow.run.secrets_file import Secrets, keep_secrets
from skurrow.service.context import Settings, open_context
from skurrow.service.payments import authorising
from skurrow.store.migrate import migrate

ROOT = Path(__file__).parents[3]
DATABASE = "skurrow"
MERCHANT = "ostrel"
IBAN = "NL51ZZZZ0123456789"
"""Of a bank that does not exist."""


@dataclass
class Installation:
    """Everything in one folder. `pages` is the website to serve, `slow_seconds` how slow the slow card is,
    `gateway_seconds` how long Skurrow waits for it, `smtp` a mail server to use instead of the stand-in mailbox,
    `leeway` how many times the limits against abuse count."""

    folder: Path
    ports: Ports
    pages: Path = ROOT / "demo" / "website"
    slow_seconds: float = 6.0
    gateway_seconds: float = 12.0
    smtp: str | None = None
    leeway: int = 1
    server_options: tuple[str, ...] = tuple(DURABLE)

    # -- addresses ----------------------------------------------------------------------------------------

    @property
    def desk_url(self) -> str:
        """Where developers sign in."""
        return f"http://localhost:{self.ports.web}"

    @property
    def counter_url(self) -> str:
        """Where buyers pay: another host name than the desk's."""
        return f"http://counter.localhost:{self.ports.web}"

    @property
    def cards_url(self) -> str:
        """The stand-in gateway, as a browser sees it."""
        return f"http://cards.localhost:{self.ports.cards}"

    @property
    def wallet_url(self) -> str:
        """The stand-in wallet, as a browser sees it."""
        return f"http://wallet.localhost:{self.ports.wallet}"

    @property
    def debit_url(self) -> str:
        """The stand-in direct debit, as a browser sees it."""
        return f"http://debit.localhost:{self.ports.debit}"

    @property
    def website_url(self) -> str:
        """The existing website."""
        return f"http://ostrel.localhost:{self.ports.website}"

    @property
    def mailbox_url(self) -> str:
        """The stand-in mailbox, as a browser sees it."""
        return f"http://mailbox.localhost:{self.ports.mailbox}"

    # -- parts --------------------------------------------------------------------------------------------

    @cached_property
    def secrets(self) -> Secrets:
        """The secrets of this installation."""
        return keep_secrets(self.folder / "secrets.json")

    def note_ports(self) -> None:
        """Writes down which ports it runs on, for the command line to find it."""
        (self.folder / "ports.json").write_text(json.dumps(vars(self.ports)), encoding="utf-8")

    @cached_property
    def cluster(self) -> Cluster:
        """Our PostgreSQL."""
        folder = Path(os.environ.get("SKURROW_DATA", "")) if "SKURROW_DATA" in os.environ else self.folder / "data"
        return Cluster(
            reachable_folder(folder, self.secrets.name) / "postgres",
            self.ports.postgres,
            self.secrets.passwords,
            list(self.server_options),
        )

    @property
    def environment(self) -> dict[str, str]:
        """What our own processes are told. It holds secrets and goes to them only."""
        return {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "PYTHONUNBUFFERED": "1",
            "SKURROW_DATABASE_URL": self.cluster.dsn(APP, DATABASE),
            "SKURROW_MASTER_KEYS": self.secrets.master_key,
            "SKURROW_DESK_URL": self.desk_url,
            "SKURROW_COUNTER_URL": self.counter_url,
            "SKURROW_EVENTS_URL": f"http://127.0.0.1:{self.ports.web}",
            "SKURROW_STANDIN_CARDS_API": f"http://127.0.0.1:{self.ports.cards}",
            "SKURROW_STANDIN_CARDS_BROWSER": self.cards_url,
            "SKURROW_STANDIN_WALLET_API": f"http://127.0.0.1:{self.ports.wallet}",
            "SKURROW_STANDIN_WALLET_BROWSER": self.wallet_url,
            "SKURROW_STANDIN_DEBIT_API": f"http://127.0.0.1:{self.ports.debit}",
            "SKURROW_STANDIN_DEBIT_BROWSER": self.debit_url,
            "SKURROW_STANDIN_ORIGINS": self.website_url,
            "SKURROW_GATEWAY_SECONDS": str(self.gateway_seconds),
            "SKURROW_LEEWAY": os.environ.get("SKURROW_LEEWAY", str(self.leeway)),
            "SKURROW_TAX_NUMBERS": f"http://127.0.0.1:{self.ports.numbers}",
            "SKURROW_OFFICIAL_RATES": f"http://127.0.0.1:{self.ports.numbers}",
            **({} if self.smtp else {"SKURROW_MAIL_IS_STAND_IN": "1"}),
            "SKURROW_SMTP": self.smtp or f"127.0.0.1:{self.ports.smtp}",
        }

    def postgres(self) -> Part:
        """The database server."""
        self.cluster.create_if_missing()
        return Part(
            "PostgreSQL",
            self.cluster.server_command(),
            {"PATH": os.environ["PATH"]},
            self._log("postgres"),
            folder=self.cluster.folder,
            stop_signal=signal.SIGINT,
            before=self.cluster.clear_leftovers,
        )

    def web(self) -> Part:
        """The desk and the counter."""
        command = ["-m", "skurrow.web.server", "--port", str(self.ports.web)]
        return self._python("web", command, self.environment, f"http://127.0.0.1:{self.ports.web}/health")

    def worker(self) -> Part:
        """Background work."""
        return self._python("worker", ["-m", "skurrow.work.worker"], self.environment, None)

    def cards(self) -> Part:
        """The stand-in card gateway."""
        keys = {"test": self.secrets.cards_test_key, "live": self.secrets.cards_live_key}
        return self._gateway("cards", self.ports.cards, keys)

    def wallet(self) -> Part:
        """The stand-in wallet."""
        keys = {"test": self.secrets.wallet_test_key, "live": self.secrets.wallet_live_key}
        return self._gateway("wallet", self.ports.wallet, keys)

    def debit(self) -> Part:
        """The stand-in direct debit."""
        keys = {"test": self.secrets.debit_test_key, "live": self.secrets.debit_live_key}
        return self._gateway("debit", self.ports.debit, keys)

    def website(self) -> Part:
        """The existing website of the demo."""
        command = [
            *("-m", "skurrow.standin.website", "--port", str(self.ports.website)),
            *("--pages", str(self.pages), "--shop", self.counter_url),
        ]
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        return self._python("website", command, environment, f"http://127.0.0.1:{self.ports.website}/health")

    def mailbox(self) -> Part:
        """The stand-in mailbox."""
        command = [
            *("-m", "skurrow.standin.mailbox", "--port", str(self.ports.mailbox)),
            *("--smtp-port", str(self.ports.smtp), "--folder", str(self.folder / "mails")),
        ]
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        return self._python("mailbox", command, environment, f"http://127.0.0.1:{self.ports.mailbox}/health")

    def numbers(self) -> Part:
        """The stand-in look-up of tax numbers."""
        command = ["-m", "skurrow.standin.numbers", "--port", str(self.ports.numbers)]
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        return self._python("numbers", command, environment, f"http://127.0.0.1:{self.ports.numbers}/health")

    # -- the database and the demo --------------------------------------------------------------------------

    def prepare_database(self) -> int:
        """Roles, the database and its newest schema. Harmless when everything is there. Returns what `migrate` does."""
        self.cluster.create_roles()
        self.cluster.create_database(DATABASE)
        return migrate(self.cluster.dsn(OWNER, DATABASE))

    async def load_demo(self, only: Collection[str] | None = None) -> bool:
        """Loads the demo unless it is there, connected to all gateways or to some only; says whether it was loaded."""
        gateways = {name: one for name, one in self.test_gateways().items() if only is None or name in only}
        async with open_context(Settings.from_environment(self.environment)) as context:
            return await demo.load(
                context, ROOT / "demo" / "site.yaml", self.website_url, self.secrets.demo_password, gateways
            )

    def test_gateways(self) -> dict[str, Credentials]:
        """What the demo is connected to, all of it for test."""
        return {
            "standin-cards": Credentials(MERCHANT, self.secrets.cards_test_key),
            "standin-wallet": Credentials(MERCHANT, self.secrets.wallet_test_key),
            "standin-debit": Credentials(MERCHANT, self.secrets.debit_test_key),
            "transfer": Credentials("Ostrel Bindery", IBAN),
            "invoice": Credentials("Ostrel Bindery", ""),
            "collection": Credentials("Ostrel Bindery", ""),
        }

    def remove(self) -> None:
        """Removes all data of the installation; its logs too."""
        self.cluster.clear_leftovers()
        shutil.rmtree(self.cluster.folder, ignore_errors=True)
        with contextlib.suppress(OSError):
            self.cluster.folder.parent.rmdir()
        for name in ("cards", "wallet", "debit"):
            for ending in ("", "-wal", "-shm"):
                (self.folder / f"{name}.sqlite{ending}").unlink(missing_ok=True)
        (self.folder / "secrets.json").unlink(missing_ok=True)
        for name in ("logs", "mails"):
            shutil.rmtree(self.folder / name, ignore_errors=True)
        for name in ("secrets", "cluster"):
            self.__dict__.pop(name, None)

    # -- within -------------------------------------------------------------------------------------------

    def _gateway(self, name: str, port: int, keys: dict[str, str]) -> Part:
        """A stand-in gateway. It is told nothing of Skurrow."""
        environment = {
            **os.environ,
            "PYTHONPATH": str(ROOT / "src"),
            "STANDIN_MERCHANTS": json.dumps({MERCHANT: keys}),
            "STANDIN_CLIENTS": json.dumps({CLIENT: [f"{self.desk_url}{authorising.ANSWERED_AT}"]}),
        }
        command = [
            *("-m", f"skurrow.standin.{name}", "--port", str(port)),
            *("--file", str(self.folder / f"{name}.sqlite"), "--slow-seconds", str(self.slow_seconds)),
        ]
        return self._python(name, command, environment, f"http://127.0.0.1:{port}/health")

    def _python(self, name: str, arguments: list[str], environment: dict[str, str], health: str | None) -> Part:
        command = ["setpriv", "--pdeathsig", "TERM", sys.executable, *arguments]
        return Part(name, command, environment, self._log(name), health=health, folder=ROOT)

    def _log(self, name: str) -> Path:
        folder = self.folder / "logs"
        folder.mkdir(parents=True, exist_ok=True)
        return folder / f"{name}.log"


def noted(folder: Path) -> Installation | None:
    """The installation of a folder, on the ports that it ran on last; None where it never ran."""
    file = folder / "ports.json"
    if not file.exists():
        return None
    return Installation(folder, Ports(**json.loads(file.read_text(encoding="utf-8"))))


async def start_postgres(installation: Installation, say: Callable[[str], None] = lambda _: None) -> Part:
    """Starts the database and brings it up to date. What somebody should look at is said."""
    postgres = await asyncio.to_thread(installation.postgres)
    await postgres.start()
    await asyncio.to_thread(installation.cluster.wait_until_ready)
    found = await asyncio.to_thread(installation.prepare_database)
    if found:
        say(
            f"{found} stored addresses were one customer before and are several now, or the other way round. They are"
            " in the table mailbox_collisions; what it means is in docs/security.md, under One mailbox."
        )
    return postgres
