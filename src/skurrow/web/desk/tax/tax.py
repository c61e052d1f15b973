"""Tax and delivery at the desk: the map of treatments, the tester of delivery, the tax report."""

from __future__ import annotations

import csv
import io
from datetime import date
from typing import Annotated, Literal

from fastapi import Query, Response
from pydantic import BaseModel, ConfigDict, Field

from skurrow.core.bounds import MOST_PIECES
from skurrow.core.products.product_csv import written_cell
from skurrow.core.quote.treatments import Cell, MapRow
from skurrow.core.site.values import Country
from skurrow.service.tax import reports, tax
from skurrow.service.tax.place_names import place_name
from skurrow.web.access import Means, Site
from skurrow.web.desk.bodies import ModeName
from skurrow.web.routes import desk_router

router = desk_router()


class CellView(BaseModel):
    """How one kind of product is taxed for one buyer; `rate` is a share of one, or None where there is no tax."""

    rate: str | None
    treatment: str
    place: str
    code: str
    reason: str
    notes: list[str]
    sources: list[str]


class PairView(BaseModel):
    """The same for a consumer and for a business with a valid tax number."""

    consumer: CellView
    business: CellView


class MapRowView(BaseModel):
    """A place with a cell for each kind that is sold."""

    group: Literal["home", "eu", "special", "near", "elsewhere"]
    place: str
    name: str
    cells: list[PairView]


class KindView(BaseModel):
    """A kind of product as far as tax tells it apart."""

    kind: str
    counts_as: str
    held_in: str | None
    words: str


class MissingView(BaseModel):
    """Where the site sells and is not registered."""

    code: str
    words: str
    places: list[str]


class ThresholdView(BaseModel):
    """What was sold across EU borders to consumers, net, in EUR, in the live book."""

    this_year: str
    last_year: str
    state: Literal["below", "near", "above"]
    counts: bool


class TreatmentsView(BaseModel):
    """The map of treatments on a day."""

    on: date
    kinds: list[KindView]
    rows: list[MapRowView]
    missing: list[MissingView]
    threshold: ThresholdView | None


class ParcelRequest(BaseModel):
    """A parcel to be tried: a price, how many, and where it goes."""

    model_config = ConfigDict(extra="forbid")

    price: Annotated[str, Field(max_length=60)]
    quantity: Annotated[int, Field(ge=1, le=MOST_PIECES)] = 1
    country: Country
    region: Annotated[str, Field(max_length=10)] | None = None
    postal_code: Annotated[str, Field(max_length=20)] | None = None
    currency: Annotated[str, Field(max_length=3)]


class MethodView(BaseModel):
    """A method: what it costs, or why it cannot be had."""

    id: str
    name: str
    amount: str | None
    problem: str | None


class ParcelView(BaseModel):
    """The zone of an address and its methods; no zone: nothing is sent there."""

    zone: str | None
    currency: str
    methods: list[MethodView]


class ReportRow(BaseModel):
    """What was sold and taxed in a currency at a place, under a tax, rate and treatment."""

    currency: str
    place: str
    place_name: str
    name: str
    rate: str
    treatment: str
    net: str
    tax: str
    orders: int


class ReportTotal(BaseModel):
    """What a currency comes to, and what its orders come to: the two are the same to the cent."""

    currency: str
    net: str
    tax: str
    total: str
    orders: int
    paid: str
    refunded: str | None


class ReportView(BaseModel):
    """The tax report of a period."""

    mode: ModeName
    first: date
    last: date
    rows: list[ReportRow]
    totals: list[ReportTotal]


@router.get("/sites/{site}/treatments")
async def treatments(site: Site, context: Means) -> TreatmentsView:
    """The map of treatments of the draft, today."""
    found = await tax.tax_map(context, site.site_id)
    near = found.threshold
    _, one_stop = found.edition.seller.on(found.on)
    return TreatmentsView(
        on=found.on,
        kinds=[
            KindView(kind=w.kind, counts_as=w.counts_as, held_in=w.held_in, words=_kind_words(*w))
            for w in found.map.kinds
        ],
        rows=_by_name([_row_view(row) for row in found.map.rows]),
        missing=[MissingView(code=one.code, words=one.words, places=list(one.places)) for one in found.map.missing],
        threshold=near
        and ThresholdView.model_validate(
            {
                "this_year": near.this_year,
                "last_year": near.last_year,
                "state": near.state,
                "counts": not one_stop,
            }
        ),
    )


@router.post("/sites/{site}/parcels")
async def parcel(body: ParcelRequest, site: Site, context: Means) -> ParcelView:
    """What a parcel costs to an address, by every method there is."""
    found = await tax.try_delivery(
        context,
        site.site_id,
        body.price,
        body.quantity,
        body.country,
        body.region or None,
        body.postal_code or None,
        body.currency,
    )
    methods = [MethodView(id=m.id, name=m.name, amount=m.amount, problem=m.problem) for m in found.methods]
    return ParcelView(zone=found.zone, currency=found.currency, methods=methods)


@router.get("/sites/{site}/tax-report")
async def report(site: Site, context: Means, mode: ModeName, first: date, last: date) -> ReportView:
    """Bases and taxes of what was paid from a day to a day, by place, tax, rate and treatment."""
    return _report_view(await reports.tax_report(context, site.site_id, mode, first, last))


@router.get("/sites/{site}/tax-report.csv", response_class=Response)
async def report_csv(
    site: Site, context: Means, mode: ModeName, first: Annotated[date, Query()], last: Annotated[date, Query()]
) -> Response:
    """The same as CSV."""
    view = _report_view(await reports.tax_report(context, site.site_id, mode, first, last))
    written = io.StringIO()
    table = csv.writer(written)
    table.writerow(_COLUMNS)
    for row in view.rows:
        period = (mode, first, last, row.currency)
        table.writerow(
            [*period, row.place, written_cell(row.name), row.rate, row.treatment, row.net, row.tax, row.orders]
        )
    headers = {"Content-Disposition": f'attachment; filename="tax-{site.code}-{mode}-{first}-{last}.csv"'}
    return Response(written.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)


_COLUMNS = ("book", "from", "until", "currency", "place", "tax", "rate", "treatment", "net", "tax amount", "orders")


@router.get("/sites/{site}/one-stop-shop.csv", response_class=Response)
async def one_stop_shop_csv(
    site: Site, context: Means, mode: ModeName, first: Annotated[date, Query()], last: Annotated[date, Query()]
) -> Response:
    """The records of the one-stop shop: each sale under it, with what has to be kept about it."""
    found = await reports.one_stop_records(context, site.site_id, mode, first, last)
    written = io.StringIO()
    table = csv.writer(written)
    table.writerow(_RECORD_COLUMNS)
    for one in found:
        evidence = [one.declared, one.connection or "", "yes" if one.confirmed else "", one.sent_to or ""]
        sold = [one.place, one.kind, written_cell(one.what), one.quantity, one.on, one.on, one.currency]
        amounts = [one.net, one.rate, one.tax, one.paid]
        table.writerow([mode, *sold, *amounts, one.paper or "", one.order, *evidence])
    headers = {"Content-Disposition": f'attachment; filename="one-stop-shop-{site.code}-{mode}-{first}-{last}.csv"'}
    return Response(written.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)


_RECORD_COLUMNS = (
    *("book", "member state", "kind", "what", "quantity", "supplied on", "paid on", "currency", "net", "rate"),
    *("tax", "order paid with", "paper", "order", "country declared", "country of the connection"),
    *("confirmed by the buyer", "sent to"),
)


# -- within -----------------------------------------------------------------------------------------------


def _report_view(found: reports.TaxReport) -> ReportView:
    rows = [
        ReportRow(
            currency=row.currency,
            place=row.place,
            place_name=place_name(row.place),
            name=row.name,
            rate=row.rate,
            treatment=row.treatment,
            net=row.base,
            tax=row.amount,
            orders=row.orders,
        )
        for row in found.rows
    ]
    totals = [
        ReportTotal(
            currency=one.currency,
            net=one.net,
            tax=one.tax,
            total=one.total,
            orders=one.orders,
            paid=one.paid,
            refunded=one.refunded if one.refunded.strip("0.") else None,
        )
        for one in found.totals
    ]
    return ReportView(mode=found.mode, first=found.first, last=found.last, rows=rows, totals=totals)


_KINDS = {"goods": "Goods", "digital": "Digital", "service": "Service", "event": "Event"}


def _kind_words(kind: str, counts_as: str, held_in: str | None) -> str:
    words = _KINDS[kind]
    if kind == "event":
        words = f"Event in {place_name(held_in)}" if held_in else "Event online"
    return words if counts_as == "standard" else f"{words}, {counts_as}"


def _by_name(rows: list[MapRowView]) -> list[MapRowView]:
    """The countries of the European Union by their names; the other groups in their order."""
    eu = iter(sorted((row for row in rows if row.group == "eu"), key=lambda row: row.name))
    return [next(eu) if row.group == "eu" else row for row in rows]


def _row_view(row: MapRow) -> MapRowView:
    cells = [PairView(consumer=_cell_view(one), business=_cell_view(other)) for one, other in row.cells]
    name = row.name or place_name(row.place)
    return MapRowView.model_validate({"group": row.group, "place": row.place, "name": name, "cells": cells})


def _cell_view(cell: Cell) -> CellView:
    return CellView(
        rate=cell.rate,
        treatment=cell.treatment,
        place=cell.place,
        code=cell.code,
        reason=cell.reason,
        notes=list(cell.notes),
        sources=list(cell.sources),
    )
