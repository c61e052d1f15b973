"""Tax and delivery at the desk: the map of treatments, what parcels cost, how near the EU threshold is."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from uuid import UUID

from skurrow.core.edition import Edition
from skurrow.core.money import format_amount
from skurrow.core.order import QuoteRefused, read_order
from skurrow.core.quote.quote import quote
from skurrow.core.quote.treatments import TreatmentMap, treatments
from skurrow.core.tax.numbers import ASKED_IN
from skurrow.service.context import Context
from skurrow.service.draft import configuration
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.tax import tax_report

THRESHOLD = Decimal(10_000)
"""EUR of goods and digital products sold across EU borders to consumers, this year or last (from memory: Directive
2006/112/EC Art. 59c)."""

IN_TIME = Decimal(8_000)
"""EUR from which on the desk warns."""


@dataclass(frozen=True, slots=True)
class Threshold:
    """What was sold across EU borders to consumers and taxed at home, net, in EUR, this year and last; `state` says
    what it means."""

    this_year: str
    last_year: str
    state: str


@dataclass(frozen=True, slots=True)
class TaxMap:
    """The map of treatments on a day, and how near the threshold is (None: the seller is not in the EU)."""

    on: date
    map: TreatmentMap
    threshold: Threshold | None
    edition: Edition


@dataclass(frozen=True, slots=True)
class Remark:
    """Something to know before real buyers meet a release; a `wrong` one has to be put right."""

    words: str
    wrong: bool


@dataclass(frozen=True, slots=True)
class MethodCost:
    """A method for a parcel: what it costs, or why it cannot be had."""

    id: str
    name: str
    amount: str | None
    problem: str | None


@dataclass(frozen=True, slots=True)
class Tested:
    """What the tester of delivery found: the zone of an address (None: nothing is sent there) and its methods."""

    zone: str | None
    currency: str
    methods: list[MethodCost]


async def tax_map(context: Context, site_id: UUID) -> TaxMap:
    """The map of the draft, today."""
    state = await configuration.draft(context, site_id)
    edition = state.edition
    today = context.now().astimezone(edition.site.site.zone).date()
    return TaxMap(today, treatments(edition, today), await threshold(context, site_id, edition, today), edition)


async def threshold(context: Context, site_id: UUID, edition: Edition, today: date) -> Threshold | None:
    """How near the threshold is, from the live book. Amounts in other currencies count at the owner's rates."""
    if not edition.seller.eu:
        return None
    zone = edition.site.site.time_zone
    async with site_transaction(context.pool, site_id) as db:
        found = await tax_report.net_taxed_at_home_abroad(Book(db, site_id, "live"), today.year - 1, zone)
    years = {today.year: Decimal(0), today.year - 1: Decimal(0)}
    rates = {one.code: one.rate or Decimal(1) for one in edition.site.currencies}
    euro = rates.get("EUR")
    for row in found:
        rate = rates.get(row.currency)
        if rate and euro:
            years[row.year] = years.get(row.year, Decimal(0)) + Decimal(row.net) / rate * euro
    now, last = years[today.year], years[today.year - 1]
    state = "above" if max(now, last) > THRESHOLD else "near" if max(now, last) >= IN_TIME else "below"
    return Threshold(_euros(now), _euros(last), state)


async def before_release(context: Context, site_id: UUID) -> list[Remark]:
    """What is to be known about the draft's tax and delivery before it is released."""
    found = await tax_map(context, site_id)
    _, one_stop = found.edition.seller.on(found.on)
    remarks = []
    near = found.threshold
    if near is not None and near.state != "below" and not one_stop:
        sold = f"EUR {near.this_year} this year and {near.last_year} last year"
        if near.state == "above":
            words = (
                f"Sales to consumers across EU borders are above EUR 10,000 ({sold}), and taxed at home. Register for "
                "the one-stop shop, and write it under Tax."
            )
        else:
            words = f"Sales to consumers across EU borders come near EUR 10,000 ({sold}). Register in time."
        remarks.append(Remark(words, near.state == "above"))
    remarks += [Remark(one.words, False) for one in found.map.missing if one.code != "eu_below_threshold"]
    remarks += _about_papers(found.edition)
    weighed = any(m.by_weight for zone in found.edition.zones.all for m in zone.methods)
    light = [p.name for p in found.edition.site.products if p.kind == "goods" and p.weight_g is None]
    if weighed and light:
        names = ", ".join(f"“{name}”" for name in light[:3])
        remarks.append(Remark(f"Parcels are charged by weight, and {names} has none: it weighs nothing.", False))
    return remarks


def _about_papers(edition: Edition) -> list[Remark]:
    """What invoices would lack."""
    site, own = edition.site, edition.site.papers
    lacking = []
    if not (own.street and own.city):
        lacking.append("your address, under Papers")
    home = site.site.country
    if home in ASKED_IN and not any(one.place == home and one.number for one in site.tax.registrations):
        lacking.append("your tax number, under Tax")
    return [Remark(f"Invoices and receipts lack {' and '.join(lacking)}.", False)] if lacking else []


def _euros(amount: Decimal) -> str:
    return format_amount(int((amount * 100).to_integral_value("ROUND_HALF_UP")), "EUR")


async def try_delivery(
    context: Context,
    site_id: UUID,
    price: str,
    quantity: int,
    country: str,
    region: str | None,
    postal_code: str | None,
    currency: str,
) -> Tested:
    """What a parcel costs to an address. Raises QuoteRefused for what cannot be ordered."""
    edition = (await configuration.draft(context, site_id)).edition
    order = {
        "at": context.now(),
        "currency": currency,
        "items": [{"price": price, "quantity": quantity}],
        "buyer": {"country": country, "region": region, "postal_code": postal_code},
    }
    asked = read_order(order)
    quote(edition, asked)  # whatever is wrong with the order itself is told
    zone = edition.zones.of(country, region, postal_code)
    if zone is None:
        return Tested(None, currency, [])
    found = []
    for method in zone.methods:
        try:
            one = quote(edition, asked.model_copy(update={"delivery": method.id}))
        except QuoteRefused as refused:
            problem = refused.problems[0]
            found.append(MethodCost(method.id, method.method.name, None, f"{problem.message} {problem.remedy}."))
            continue
        sent = one.sent or next((day.sent for day in one.later if day.sent is not None), None)
        amount = format_amount(sent.amount if sent else 0, currency)
        found.append(MethodCost(method.id, method.method.name, amount, None))
    return Tested(zone.name, currency, found)
