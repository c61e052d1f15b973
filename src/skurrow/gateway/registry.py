"""The adapters that ship with Skurrow, by the name under which a connection is stored."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import cast

import httpx

from skurrow.core.payments.ways import Usable, usable
from skurrow.gateway.own import OnCollection, OnInvoice, Transfer
from skurrow.gateway.protocol import Abilities, Account, Credentials, Fees, Gateway, Mode, Reach
from skurrow.gateway.standin import StandInCards, StandInDebit, StandInWallet


@dataclass(frozen=True, slots=True)
class Adapter:
    """An adapter: what developers call it, what it can do, what buyers choose it by if the owner does not say, and
    what papers say that was paid by."""

    name: str
    make: Callable[..., Gateway]
    abilities: Abilities
    label: str
    paid_by: str


def _adapter(name: str, made: type, label: str, paid_by: str) -> Adapter:
    return Adapter(name, cast("Callable[..., Gateway]", made), made.abilities, label, paid_by)  # type: ignore[attr-defined]


ADAPTERS: Mapping[str, Adapter] = {
    "standin-cards": _adapter("Stand-in Cards", StandInCards, "Card", "card"),
    "standin-wallet": _adapter("Stand-in Wallet", StandInWallet, "Stand-in Wallet", "Stand-in Wallet"),
    "standin-debit": _adapter("Stand-in Direct Debit", StandInDebit, "Direct debit", "direct debit"),
    "transfer": _adapter("Bank transfer", Transfer, "Bank transfer", "bank transfer"),
    "invoice": _adapter("On invoice", OnInvoice, "On invoice", "payment on invoice"),
    "collection": _adapter("On collection", OnCollection, "Pay when you collect it", "payment on collection"),
}

NAMES: Mapping[str, str] = {name: one.name for name, one in ADAPTERS.items()}
"""Adapters with the names that people read."""

ABILITIES: Mapping[str, Abilities] = {name: one.abilities for name, one in ADAPTERS.items()}

_NOWHERE = Reach("", "")


def make_gateway(
    adapter: str, client: httpx.AsyncClient, reach: Reach | None, mode: Mode, credentials: Credentials
) -> Gateway:
    """The gateway behind a connection; raises KeyError for an adapter that does not exist."""
    return ADAPTERS[adapter].make(client, reach or _NOWHERE, mode, credentials)


def account_from(stored: Mapping[str, object]) -> Account:
    """An account as it was stored; what it did not say then is taken as unlimited and free."""
    known = {name: stored[name] for name in Account.__slots__ if name in stored and name not in ("fees", "currencies")}
    fees = stored.get("fees") or {
        "percent": stored.get("fee_percent", "0"),
        "fixed": stored.get("fee_fixed", "0"),
    }
    currencies = tuple(cast("list[str]", stored.get("currencies", [])))
    return Account(fees=Fees(**cast("dict[str, str]", fees)), currencies=currencies, **known)  # type: ignore[arg-type]


def usable_as(adapter_name: str, account: Account) -> Usable:
    """A connected gateway, from what it says of itself, as far as the choice of a way to pay depends on it."""
    adapter = ADAPTERS[adapter_name]
    return usable(
        adapter_name,
        adapter.label,
        account.currencies,
        account.smallest,
        account.largest,
        again=adapter.abilities.recurring,
        collected=adapter_name == "collection",
    )
