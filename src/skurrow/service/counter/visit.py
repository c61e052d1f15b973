"""A visit: who came to which checkout, what they chose and typed, and the signed token that carries it.

A visit is a signed token that the browser keeps. It names the checkout, the state of the configuration that the
buyer met, and an id of its own: one visit can become one order, however many tabs, presses and reloads it sees.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from skurrow.gateway.protocol import Mode
from skurrow.service.context import Context
from skurrow.service.refusals import NotFound
from skurrow.store.draft.sites import SiteRow

VISIT_LIFE = timedelta(days=2)
"""How long a buyer under way keeps what they began with; then the page is opened anew."""

PREVIEWING = -1
"""Where a test pass would have its number, of whoever tries it from the desk."""


@dataclass(frozen=True, slots=True)
class Visit:
    """A buyer under way: `change` and `release` say which configuration they met; `currency` None is the base;
    `coupon` came with the link; `tries` is the number of the test pass of whoever tries it."""

    id: UUID
    site_id: UUID
    checkout_id: str
    mode: Mode
    change: int
    release: int | None
    began_at: datetime
    currency: str | None = None
    coupon: str | None = None
    tries: int | None = None

    @property
    def hindered(self) -> bool:
        """Whether this buyer is one of those whom a stop is for."""
        return self.tries is None


@dataclass(frozen=True, slots=True)
class Taken:
    """One thing that a buyer takes: a price (None: the one chosen at first), how many (None: the least), in which
    variant, at which amount of one."""

    price: str | None = None
    quantity: int | None = None
    variant: str | None = None
    chosen: str | None = None


@dataclass(frozen=True, slots=True)
class Choice:
    """What the buyer has chosen at a checkout: one of its prices (None: the one chosen at first), how many, in which
    variant, at which amount; or the `items` of a basket in its place. With which coupons typed, and the way of
    delivery (None: the first there is)."""

    price: str | None = None
    quantity: int | None = None
    variant: str | None = None
    chosen: str | None = None
    coupons: tuple[str, ...] = ()
    delivery: str | None = None
    items: tuple[Taken, ...] = ()

    @property
    def taken(self) -> tuple[Taken, ...]:
        """All that is taken."""
        return self.items or (Taken(self.price, self.quantity, self.variant, self.chosen),)


NOTHING_CHOSEN = Choice()


def read_visit(context: Context, token: str) -> Visit:
    """The visit of a token; raises NotFound for one that is not ours or too old."""
    visit = held_visit(context, token)
    if context.now() - visit.began_at > VISIT_LIFE:
        raise NotFound("this visit is over")
    return visit


def held_visit(context: Context, token: str) -> Visit:
    """The visit of a token, however old: whoever holds it is the buyer, though nothing new begins with it."""
    data = context.signer.read("visit", token)
    if data is None:
        raise NotFound("this visit is not known")
    return Visit(
        UUID(data["v"]),
        UUID(data["s"]),
        data["c"],
        data["m"],
        data["g"],
        data["r"],
        datetime.fromisoformat(data["t"]),
        data.get("u"),
        data.get("k"),
        data.get("p"),
    )


def pass_token(context: Context, site_id: UUID, number: int) -> str:
    """What makes a buyer a test buyer at a site that has gone live, until the pass of this number is withdrawn."""
    return context.signer.sign("test-pass", [str(site_id), number])


TEST_HOUR = timedelta(hours=1)
"""How long a browser is a test buyer's after one press at the desk."""


@dataclass(frozen=True, slots=True)
class TestHour:
    """For which site a browser is a test buyer's until when, under which number of its test pass."""

    site_id: UUID
    number: int
    until: datetime


def hour_token(context: Context, site_id: UUID, number: int) -> str:
    """What makes a browser a test buyer's for an hour, or until the pass of this number is withdrawn."""
    until = (context.now() + TEST_HOUR).replace(microsecond=0)
    return context.signer.sign("test-hour", [str(site_id), number, until.isoformat()])


def hour_of(context: Context, token: str | None) -> TestHour | None:
    """The hour of a token; None for one that is not ours, or over."""
    data = context.signer.read("test-hour", token) if token else None
    if data is None:
        return None
    found = TestHour(UUID(data[0]), data[1], datetime.fromisoformat(data[2]))
    return found if context.now() < found.until else None


def is_test_pass(context: Context, site: SiteRow, number: int, given: str | None) -> bool:
    """Whether somebody brings the test pass of this number, or an hour under it."""
    if given is None:
        return False
    hour = hour_of(context, given)
    if hour is not None:
        return (hour.site_id, hour.number) == (site.id, number)
    return context.signer.read("test-pass", given) == [str(site.id), number]


def signed(context: Context, visit: Visit) -> str:
    """A visit as the token that the browser keeps."""
    data: dict[str, Any] = {
        "v": str(visit.id),
        "s": str(visit.site_id),
        "c": visit.checkout_id,
        "m": visit.mode,
        "g": visit.change,
        "r": visit.release,
        "t": visit.began_at.isoformat(timespec="seconds"),
    }
    if visit.currency is not None:
        data["u"] = visit.currency
    if visit.coupon is not None:
        data["k"] = visit.coupon
    if visit.tries is not None:
        data["p"] = visit.tries
    return context.signer.sign("visit", data)
