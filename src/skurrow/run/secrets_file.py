"""The secrets of one installation, made at its first start and kept in a file that only its owner can read."""

from __future__ import annotations

import json
import os
import secrets
from dataclasses import asdict, dataclass, field
from pathlib import Path

from cryptography.fernet import Fernet

from skurrow.run.cluster import Passwords

_WORDS = "linen thread paste bone awl press board moss chalk indigo spine fold sheet leaf ply mull".split()


@dataclass(frozen=True)
class Secrets:
    """The master key lies here, outside the database that it seals. `name` tells installations apart."""

    name: str
    master_key: str = field(repr=False)
    superuser_password: str = field(repr=False)
    owner_password: str = field(repr=False)
    app_password: str = field(repr=False)
    demo_password: str = field(repr=False)
    cards_test_key: str = field(repr=False)
    cards_live_key: str = field(repr=False)
    wallet_test_key: str = field(repr=False, default_factory=lambda: new_key("test"))
    wallet_live_key: str = field(repr=False, default_factory=lambda: new_key("live"))
    debit_test_key: str = field(repr=False, default_factory=lambda: new_key("test"))
    debit_live_key: str = field(repr=False, default_factory=lambda: new_key("live"))

    @property
    def passwords(self) -> Passwords:
        """The passwords of the database's roles."""
        return Passwords(self.superuser_password, self.owner_password, self.app_password)


def new_key(mode: str) -> str:
    """A merchant's key at a stand-in gateway."""
    return f"{mode}-{secrets.token_urlsafe(24)}"


def new_secrets() -> Secrets:
    """Fresh ones; the demo's password is three words, since people type it."""
    return Secrets(
        name=secrets.token_hex(6),
        master_key=Fernet.generate_key().decode(),
        superuser_password=secrets.token_urlsafe(24),
        owner_password=secrets.token_urlsafe(24),
        app_password=secrets.token_urlsafe(24),
        demo_password="-".join(secrets.choice(_WORDS) for _ in range(3)) + f"-{secrets.randbelow(90) + 10}",
        cards_test_key=new_key("test"),
        cards_live_key=new_key("live"),
    )


def keep_secrets(file: Path) -> Secrets:
    """The secrets of this file; those that are not there yet are made."""
    kept = json.loads(file.read_text()) if file.exists() else {}
    made = Secrets(**kept) if kept else new_secrets()
    if kept.keys() == asdict(made).keys():
        return made
    file.parent.mkdir(parents=True, exist_ok=True)
    half = file.with_suffix(".half")
    descriptor = os.open(half, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as out:
        json.dump(asdict(made), out, indent=2)
        out.flush()
        os.fsync(out.fileno())
    half.rename(file)
    return made
