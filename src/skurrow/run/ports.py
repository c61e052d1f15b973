"""Which ports the parts of Skurrow listen on. All of them on loopback."""

from __future__ import annotations

import socket
from dataclasses import dataclass, replace


@dataclass(frozen=True)
class Ports:
    """One port for each part."""

    web: int = 8400
    cards: int = 8401
    website: int = 8403
    mailbox: int = 8404
    smtp: int = 8405
    numbers: int = 8406
    wallet: int = 8407
    debit: int = 8408
    postgres: int = 8409


class PortTaken(Exception):
    """A port that was asked for is in use."""


def is_free(port: int) -> bool:
    """Whether nothing listens on the port of the loopback address."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return True


_given: set[int] = set()


def any_free() -> int:
    """A port that is free at this moment, and that this process has not been given before."""
    while True:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = int(probe.getsockname()[1])
        if port not in _given:
            _given.add(port)
            return port


def settle_ports(wanted: Ports, asked_for: set[str]) -> tuple[Ports, list[str]]:
    """Ports that are free, with a sentence for each that was stepped over.

    A port that somebody asked for by name is not stepped over: PortTaken says which one and what to do.
    """
    settled, said, used = wanted, [], set[int]()
    for name, port in vars(wanted).items():
        free = port
        while free in used or not is_free(free):
            if name in asked_for:
                raise PortTaken(f"port {port} for {name} is in use; stop what uses it, or give another --{name}-port.")
            free = port + 20 if free == port else free + 1
        if free != port:
            said.append(f"Port {port} is in use; {name} listens on {free}.")
        used.add(free)
        settled = replace(settled, **{name: free})
    return settled, said
