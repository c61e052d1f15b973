"""The adapters that ship with Skurrow, by the name under which a connection is stored."""

from __future__ import annotations

from collections.abc import Mapping

import httpx

from skurrow.gateway.protocol import Abilities, Credentials, Gateway, Mode, Reach
from skurrow.gateway.standin_cards import StandInCards

NAMES: Mapping[str, str] = {"standin-cards": "Stand-in Cards"}
"""Adapters with the names that people read."""

ABILITIES: Mapping[str, Abilities] = {"standin-cards": StandInCards.abilities}


def make_gateway(
    adapter: str, client: httpx.AsyncClient, reach: Reach, mode: Mode, credentials: Credentials
) -> Gateway:
    """The gateway behind a connection; raises KeyError for an adapter that does not exist."""
    return {"standin-cards": StandInCards}[adapter](client, reach, mode, credentials)
