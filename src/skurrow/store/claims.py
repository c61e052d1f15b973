"""What fell due and is taken in hand by one worker, and whose it is."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID


@dataclass(frozen=True, slots=True)
class Claimed:
    """Something that is due or was asked for by a token, and whose it is."""

    site_id: UUID
    id: UUID
