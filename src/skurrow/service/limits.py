"""How often somebody may do what costs others something: by connection, by mailbox, by site.

Counts stand in the database, so that they are right however many processes there are, under keyed hashes that say
nothing to anybody else. A limit never takes from the owner of a mailbox what they could do before: what strangers do
with their address is counted apart from what they do in a browser that we know.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from skurrow.service.context import Context
from skurrow.service.refusals import TooMany
from skurrow.store import tallies
from skurrow.store.database import siteless_transaction

_SLOTS = 12
"""Into which the time of a limit is cut: that exactly it is kept."""


@dataclass(frozen=True, slots=True)
class Limit:
    """At most so many `within` a time; `words` are what whoever comes after that reads."""

    kind: str
    most: int
    within: timedelta
    words: str


_QUARTER, _HOUR = timedelta(minutes=15), timedelta(hours=1)
_WAIT = "Too many failed sign-ins. Wait a quarter of an hour, or have a link sent."
_LINKS = "Several links were asked for already. Look into the mailbox, or wait an hour."

SIGN_IN = Limit("sign in", 5, _QUARTER, _WAIT)
"""Failures of one mailbox from one address, or from one browser that we know."""

SIGN_IN_ADDRESS = Limit("sign in from", 30, _QUARTER, _WAIT)
SIGN_IN_MAILBOX = Limit("sign in as", 50, _QUARTER, _WAIT)
"""From anywhere but the browsers that we know."""

LINK = Limit("link", 5, _HOUR, _LINKS)
"""Links to one mailbox, asked for from one address."""

LINK_ADDRESS = Limit("links from", 20, _HOUR, _LINKS)
COUPON = Limit("coupon from", 20, timedelta(minutes=10), "Too many coupons were tried. Wait ten minutes.")
"""Wrong coupons from one address at a site."""

COUPON_WORD = Limit("coupon word", 1, timedelta(minutes=10), COUPON.words)
"""The same wrong coupon from one address, which counts once."""

COUPON_SITE = Limit("coupon at", 300, timedelta(minutes=10), COUPON.words)
"""Wrong coupons at a site from anywhere; beyond it, whoever has guessed `FEW` times is refused."""

FEW = 3
CARDS = Limit("cards from", 10, _HOUR, "Too many cards were refused. Nothing was charged. Try again in an hour.")
"""Cards refused on account pages and by mailed links, from one address."""

CARDS_KEPT = Limit("cards of", 8, timedelta(hours=24), CARDS.words)
"""The same for one subscription."""

BASKETS = Limit("baskets from", 100, _HOUR, "Too many baskets were begun from here. Try again in an hour.")
"""Baskets that begin at a site, from one address."""

_BACK = "This was said several times already. Wait an hour, or write to the shop."
GIVE_BACKS = Limit("give backs from", 20, _HOUR, _BACK)
"""Said from one address on the net."""

GIVE_BACKS_MAILBOX = Limit("give backs of", 6, _HOUR, _BACK)
"""Said in the name of one mailbox."""

TRIALS = Limit("mails on trial", 20, _HOUR, "Many mails were sent for trial already. Wait an hour.")
"""Of one person of the desk, to themselves."""

INVITATIONS = Limit("invitations", 40, _HOUR, "Many people were invited already. Wait an hour.")


async def spend(context: Context, *asked: tuple[Limit, str]) -> None:
    """Counts one for each limit, and whoever it is counted for; all of them or none. Raises TooMany."""
    now = context.now()
    async with siteless_transaction(context.pool) as db:
        for limit, who in _in_order(asked):
            n = await tallies.add(db, limit.kind, _hashed(context, limit, who), _slot(limit, now), now - limit.within)
            if n > limit.most * context.settings.leeway:
                raise TooMany(limit.words, int(limit.within.total_seconds()))


async def note(context: Context, *asked: tuple[Limit, str]) -> None:
    """Counts one for each, whatever the limit."""
    now = context.now()
    async with siteless_transaction(context.pool) as db:
        for limit, who in _in_order(asked):
            await tallies.add(db, limit.kind, _hashed(context, limit, who), _slot(limit, now), now - limit.within)


async def so_far(context: Context, limit: Limit, who: str) -> int:
    """How many were counted lately."""
    async with siteless_transaction(context.pool) as db:
        return await tallies.count(db, limit.kind, _hashed(context, limit, who), context.now() - limit.within)


async def is_over(context: Context, limit: Limit, who: str) -> bool:
    """Whether as many were counted as there may be."""
    return await so_far(context, limit, who) >= limit.most * context.settings.leeway


async def take_back(context: Context, *asked: tuple[Limit, str]) -> None:
    """Takes one back of each: what was counted has turned out well."""
    async with siteless_transaction(context.pool) as db:
        for limit, who in _in_order(asked):
            await tallies.take_back(db, limit.kind, _hashed(context, limit, who), _slot(limit, context.now()))


async def forgive(context: Context, *asked: tuple[Limit, str]) -> None:
    """Forgets what was counted: somebody has shown who they are."""
    async with siteless_transaction(context.pool) as db:
        for limit, who in _in_order(asked):
            await tallies.forget(db, limit.kind, _hashed(context, limit, who))


async def tidy(context: Context) -> int:
    """Forgets what no limit looks at any more; says whether there was something."""
    async with siteless_transaction(context.pool) as db:
        return await tallies.forget_before(db, context.now() - timedelta(days=2))


def _in_order(asked: Iterable[tuple[Limit, str]]) -> list[tuple[Limit, str]]:
    """Rows are always locked in the same order, so that two never wait for each other in a circle."""
    return sorted(asked, key=lambda one: (one[0].kind, one[1]))


def _slot(limit: Limit, now: datetime) -> datetime:
    width = max(1, int(limit.within.total_seconds()) // _SLOTS)
    return datetime.fromtimestamp(int(now.timestamp()) // width * width, UTC)


def _hashed(context: Context, limit: Limit, who: str) -> str:
    return context.signer.fingerprint(f"limit {limit.kind}", who)
