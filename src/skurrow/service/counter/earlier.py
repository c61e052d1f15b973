"""What prices were before they came down, reckoned from the releases that real buyers met."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount
from skurrow.core.products.earlier_prices import DAYS, InForce, cost_at, lowest_before
from skurrow.service.context import Context
from skurrow.store.database import Connection
from skurrow.store.draft import sites


@dataclass(frozen=True, slots=True)
class Earlier:
    """What real buyers met of late: editions with the instant since when, the last of them now."""

    now: datetime
    met: tuple[tuple[datetime, Edition], ...] = ()

    def before(self, checkout: str, prices: Iterable[str], currency: str) -> dict[str, str]:
        """By price, as a decimal text, the lowest of the thirty days before it came down to what it costs at a
        checkout; nothing of those that did not."""
        found: dict[str, str] = {}
        if len(self.met) < 2:
            return found
        for price in prices:
            history = [InForce(since, cost_at(of, checkout, price, currency)) for since, of in self.met]
            lowest = lowest_before(history, self.now)
            if lowest is not None:
                found[price] = format_amount(lowest, currency)
        return found


async def earlier_of(context: Context, db: Connection, site_id: UUID, edition: Edition, release: int | None) -> Earlier:
    """What buyers met before a release, or before a draft (None), which counts as if it were released now."""
    site, now = await sites.site(db, site_id), context.now()
    if site is None or site.live_since is None:
        return Earlier(now)
    rows = await sites.releases_since(db, site_id, now - 2 * DAYS, release)
    met = [(max(row.at, site.live_since), (await context.states.at(db, site_id, row.change)).edition) for row in rows]
    return Earlier(now, (*met, (now, edition)) if release is None else tuple(met))
