"""`./start`: runs Skurrow with its demo on this machine until Ctrl-C."""

from __future__ import annotations

import asyncio
import fcntl
import os
import signal
import sys
import time
from dataclasses import replace
from pathlib import Path

import click

from skurrow.core.problems import InvalidInput
from skurrow.run.cluster import ClusterError
from skurrow.run.demo import EMAIL
from skurrow.run.installation import Installation, start_postgres
from skurrow.run.ports import Ports, PortTaken, settle_ports
from skurrow.run.processes import Part, PartFailed, run_until, stop_all
from skurrow.service.smtp import SmtpServer
from skurrow.store.migrate import MigrationError

_PORTS = Ports()


def _say(text: str) -> None:
    click.echo(text, err=False)
    sys.stdout.flush()


def _mail_server(_: click.Context, __: click.Parameter, address: str | None) -> str | None:
    try:
        if address is not None:
            SmtpServer.of(address)
    except ValueError as error:
        raise click.BadParameter(f"{error}: SKURROW_SMTP_PASSWORD.") from None
    return address


@click.command(context_settings={"help_option_names": ["-h", "--help"]})
@click.option("--fresh", is_flag=True, help="Begin anew: removes all data of this installation first.")
@click.option("--web-port", type=click.IntRange(1, 65535), help=f"Desk and counter (usually {_PORTS.web}).")
@click.option("--cards-port", type=click.IntRange(1, 65535), help=f"Stand-in gateway (usually {_PORTS.cards}).")
@click.option("--website-port", type=click.IntRange(1, 65535), help=f"Demo website (usually {_PORTS.website}).")
@click.option("--mailbox-port", type=click.IntRange(1, 65535), help=f"Stand-in mailbox (usually {_PORTS.mailbox}).")
@click.option("--smtp-port", type=click.IntRange(1, 65535), help=f"Where it takes mail (usually {_PORTS.smtp}).")
@click.option("--numbers-port", type=click.IntRange(1, 65535), help=f"Stand-in look-up (usually {_PORTS.numbers}).")
@click.option("--wallet-port", type=click.IntRange(1, 65535), help=f"Stand-in wallet (usually {_PORTS.wallet}).")
@click.option("--debit-port", type=click.IntRange(1, 65535), help=f"Stand-in direct debit (usually {_PORTS.debit}).")
@click.option("--postgres-port", type=click.IntRange(1, 65535), help=f"PostgreSQL (usually {_PORTS.postgres}).")
@click.option("--smtp", metavar="ADDRESS", callback=_mail_server, help="A mail server instead of the stand-in mailbox.")
def main(fresh: bool, smtp: str | None, **asked: int | None) -> None:
    """Run Skurrow with its demo on this machine. Ctrl-C stops everything."""
    given = {name.removesuffix("_port"): port for name, port in asked.items() if port is not None}
    folder = Path(os.environ.get("SKURROW_STATE", ".skurrow")).resolve()
    folder.mkdir(parents=True, exist_ok=True)
    lock = (folder / "running").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        raise click.ClickException(f"Skurrow runs already from {folder}; stop that one first.") from None
    try:
        asyncio.run(_run(folder, fresh, replace(_PORTS, **given), set(given), smtp))
    except (ClusterError, InvalidInput, MigrationError, PartFailed, PortTaken) as error:
        raise click.ClickException(str(error)) from None


async def _run(folder: Path, fresh: bool, wanted: Ports, asked: set[str], smtp: str | None) -> None:
    began, stop = time.monotonic(), asyncio.Event()
    loop = asyncio.get_running_loop()
    for kind in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        loop.add_signal_handler(kind, stop.set)
    leftover = Installation(folder, wanted)
    if fresh:
        leftover.remove()
    else:
        leftover.cluster.clear_leftovers()
    ports, said = settle_ports(wanted, asked)
    for sentence in said:
        _say(sentence)
    installation = Installation(folder, ports, smtp=smtp)
    installation.note_ports()
    parts: list[Part] = []
    starting = asyncio.ensure_future(_start(installation, parts))
    stopped = asyncio.ensure_future(stop.wait())
    try:
        await asyncio.wait([starting, stopped], return_when=asyncio.FIRST_COMPLETED)
        if not starting.done():
            return
        _tell(installation, starting.result(), time.monotonic() - began)
        await run_until(stop.wait(), parts, _say)
    finally:
        starting.cancel()
        stopped.cancel()
        _say("Stopping …")
        await stop_all(parts)
        _say("Stopped.")


async def _start(installation: Installation, parts: list[Part]) -> bool:
    parts.append(await start_postgres(installation, _say))
    gateways = (installation.cards(), installation.wallet(), installation.debit())
    outside = (*gateways, installation.website(), installation.mailbox(), installation.numbers())
    for part in (*outside, installation.web(), installation.worker()):
        parts.append(part)
        await part.start()
    for part in gateways:
        await part.wait_until_healthy()
    loaded = await installation.load_demo()
    for part in parts:
        await part.wait_until_healthy()
    return loaded


def _tell(installation: Installation, loaded: bool, seconds: float) -> None:
    _say(
        f"""
Skurrow is running ({"the demo was loaded" if loaded else "with the data of last time"}; {seconds:.1f} s).

  The desk           {installation.desk_url}
    sign in with     {EMAIL}   {installation.secrets.demo_password}
  The bindery's site {installation.website_url}
  Test cards         {installation.cards_url}
  Wallet             {installation.wallet_url}
  Direct debit       {installation.debit_url}
  Mailbox            {installation.mailbox_url}

Logs are in {installation.folder / "logs"}. Ctrl-C stops everything.
"""
    )


if __name__ == "__main__":
    main(prog_name="./start")
