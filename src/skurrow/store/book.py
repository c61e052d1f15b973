"""One of a site's two books, and the transaction in which it is read and written."""

from __future__ import annotations

from dataclasses import dataclass
from uuid import UUID

from skurrow.store.database import Connection


@dataclass(frozen=True, slots=True)
class Book:
    """The test or the live book (`mode`) of a site, within a transaction that sees that site. What is sold is asked
    for in a book, so that nothing of the one is ever read or written for the other."""

    db: Connection
    site_id: UUID
    mode: str
