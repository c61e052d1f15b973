"""Visits: a buyer's way into a checkout, and which configuration they meet there.

A visit is a signed token that the browser keeps. It names the checkout, the state of the configuration that the
buyer met, and an id of its own: one visit can become one order, however many tabs, presses and reloads it sees.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.problems import Problem
from skurrow.core.quote import Quote, QuoteRefused, buyer_countries, quote, read_order
from skurrow.core.site import Checkout
from skurrow.gateway.protocol import Mode
from skurrow.service.configuration import edition_at, edition_of
from skurrow.service.context import Context
from skurrow.service.gateways import connection_for, gateway_of
from skurrow.service.refusals import Closed, NotFound
from skurrow.store import sites
from skurrow.store.connections import ConnectionRow
from skurrow.store.database import Connection, site_transaction, siteless_transaction
from skurrow.store.sites import SiteRow

VISIT_LIFE = timedelta(days=2)
"""How long a buyer under way keeps what they began with; then the page is opened anew."""


@dataclass(frozen=True, slots=True)
class Visit:
    """A buyer under way: `change` and `release` say which configuration they met."""

    id: UUID
    site_id: UUID
    checkout_id: str
    mode: Mode
    change: int
    release: int | None
    began_at: datetime


@dataclass(frozen=True, slots=True)
class Counter:
    """What a checkout page needs to be shown."""

    visit: str
    mode: Mode
    site_name: str
    site_url: str
    colour: str
    checkout: Checkout
    currency: str
    home: str
    countries: frozenset[str]
    fields_address: str
    gateway_origin: str


async def open_counter(context: Context, code: str, test_pass: str | None = None) -> Counter:
    """Begins a visit at a public address. Raises NotFound for an unknown one, Closed when nothing can be paid.

    Before a site has gone live every buyer is a test buyer and meets the draft. Afterwards buyers are real and
    meet the last release, unless they bring the site's test pass.
    """
    target = None
    if code.isprintable():
        async with siteless_transaction(context.pool) as db:
            target = await sites.target_of(db, code)
    if target is None:
        raise NotFound("there is no such checkout")
    async with site_transaction(context.pool, target.site_id) as db:
        site = await sites.site(db, target.site_id)
        if site is None:
            raise NotFound("there is no such checkout")
        mode: Mode = "test" if site.live_since is None or _is_test_pass(context, site, test_pass) else "live"
        change, release = await _met(db, site, mode)
        edition = await edition_at(context, db, site.id, change)
        checkout = edition.checkouts.get(target.checkout_id)
        if checkout is None:
            raise NotFound("there is no such checkout")
        connection = await connection_for(db, site.id, mode)
    if connection is None:
        raise Closed(f"{edition.site.site.name} cannot take payments at the moment.")
    visit = Visit(context.new_id(), site.id, checkout.id, mode, change, release, context.now())
    return counter_of(context, visit, edition, connection)


def read_visit(context: Context, token: str) -> Visit:
    """The visit of a token; raises NotFound for one that is not ours or too old."""
    data = context.signer.read("visit", token)
    if data is None:
        raise NotFound("this visit is not known")
    visit = Visit(
        UUID(data["v"]),
        UUID(data["s"]),
        data["c"],
        data["m"],
        data["g"],
        data["r"],
        datetime.fromisoformat(data["t"]),
    )
    if context.now() - visit.began_at > VISIT_LIFE:
        raise NotFound("this visit is over")
    return visit


async def quote_visit(context: Context, visit: Visit, country: str) -> Quote:
    """What the visit's checkout costs a buyer in a country. Raises QuoteRefused."""
    edition = await edition_of(context, visit.site_id, visit.change)
    return quote_for(edition, visit, country, context.now())


def test_pass(context: Context, site_id: UUID) -> str:
    """What makes a buyer a test buyer at a site that has gone live."""
    return context.signer.sign("test-pass", str(site_id))


def counter_of(context: Context, visit: Visit, edition: Edition, connection: ConnectionRow) -> Counter:
    """What the visit's checkout page shows."""
    shop, checkout = edition.site.site, edition.checkouts[visit.checkout_id]
    return Counter(
        visit=_signed(context, visit),
        mode=visit.mode,
        site_name=shop.name,
        site_url=shop.url,
        colour=shop.colour,
        checkout=checkout,
        currency=edition.base,
        home=shop.country,
        countries=buyer_countries(edition, checkout.prices[0]),
        fields_address=gateway_of(context, connection).fields_address(context.settings.counter_url, shop.colour),
        gateway_origin=context.settings.gateways[connection.adapter].browser,
    )


def _is_test_pass(context: Context, site: SiteRow, given: str | None) -> bool:
    return given is not None and context.signer.read("test-pass", given) == str(site.id)


async def _met(db: Connection, site: SiteRow, mode: Mode) -> tuple[int, int | None]:
    """The change that a buyer meets, and the number of its release where it is one."""
    last = await sites.last_release(db, site.id)
    if mode == "live":
        if last is None:
            raise Closed("This shop is not open yet.")
        return last.change, last.number
    return site.head_change, last.number if last is not None and last.change == site.head_change else None


def _signed(context: Context, visit: Visit) -> str:
    data: dict[str, Any] = {
        "v": str(visit.id),
        "s": str(visit.site_id),
        "c": visit.checkout_id,
        "m": visit.mode,
        "g": visit.change,
        "r": visit.release,
        "t": visit.began_at.isoformat(timespec="seconds"),
    }
    return context.signer.sign("visit", data)


def quote_for(edition: Edition, visit: Visit, country: str, at: datetime) -> Quote:
    """What the visit\'s checkout costs under an edition. Raises QuoteRefused."""
    price = edition.checkouts[visit.checkout_id].prices[0]
    if country not in buyer_countries(edition, price):
        message = f"This cannot be sold to {country} yet"
        raise QuoteRefused([Problem(("buyer", "country"), message, "Choose another country", "not_computed_yet")])
    order = read_order(
        {
            "at": at,
            "currency": edition.base,
            "items": [{"price": price, "quantity": edition.prices[price].price.quantity.min}],
            "buyer": {"country": country},
        }
    )
    return quote(edition, order)
