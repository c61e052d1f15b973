"""Connecting a gateway by being let in at its own site: OAuth 2.0 with a code and PKCE, in one press.

What has to be remembered in between is in the `state`, signed, and what nobody may read in it is sealed. It serves the
person who began it, for ten minutes.
"""

from __future__ import annotations

import base64
import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from skurrow.gateway import standin
from skurrow.gateway.protocol import Mode
from skurrow.gateway.registry import ADAPTERS
from skurrow.service.context import Context
from skurrow.service.payments import gateways
from skurrow.service.refusals import NotFound

ANSWERED_AT = "/desk/api/gateway-answer"
"""Where gateways send people back to, under the desk's address."""

LIFE = timedelta(minutes=10)


@dataclass(frozen=True, slots=True)
class Begun:
    """An authorisation under way: at which site, for which gateway and mode, and the secret that goes with its code."""

    site_id: UUID
    adapter: str
    mode: Mode
    verifier: str


def can_authorise(context: Context, adapter: str) -> bool:
    """Whether a gateway lets us in at its own site."""
    return adapter in ADAPTERS and adapter in context.settings.gateways


def begin(context: Context, site_id: UUID, person_id: UUID, adapter: str, mode: Mode) -> str:
    """The address at the gateway where the person lets us in. Raises NotFound."""
    if not can_authorise(context, adapter):
        raise NotFound("there is no such gateway")
    verifier = secrets.token_urlsafe(48)
    challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
    state = {
        "s": str(site_id),
        "p": str(person_id),
        "a": adapter,
        "m": mode,
        "v": context.vault.seal(verifier).decode(),
        "t": context.now().isoformat(timespec="seconds"),
    }
    token = context.signer.sign("authorisation", state)
    reach = context.settings.gateways[adapter]
    return standin.authorisation_address(reach, mode, _answered_at(context), token, challenge)


def read(context: Context, person_id: UUID, state: str) -> Begun:
    """The authorisation that an answer is about. Raises NotFound for one that is not this person's, or too old."""
    data = context.signer.read("authorisation", state)
    if data is None or data["p"] != str(person_id):
        raise NotFound("this answer is not for you")
    if context.now() - datetime.fromisoformat(data["t"]) > LIFE:
        raise NotFound("this answer comes too late; connect it once more")
    return Begun(UUID(data["s"]), data["a"], data["m"], context.vault.open(data["v"].encode()))


async def finish(context: Context, begun: Begun, code: str) -> None:
    """Trades the code for a key, and connects the gateway with it. Raises NotAccepted, NoAnswer, InvalidInput."""
    reach = context.settings.gateways[begun.adapter]
    credentials = await standin.trade_code(context.http, reach, code, _answered_at(context), begun.verifier)
    await gateways.connect(context, begun.site_id, begun.adapter, begun.mode, credentials)


def _answered_at(context: Context) -> str:
    return f"{context.settings.desk_url}{ANSWERED_AT}"
