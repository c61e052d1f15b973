"""Sums of tax from paid orders, out of the quotes they were paid by."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from uuid import UUID

from skurrow.store.database import Connection, rows


@dataclass(frozen=True, slots=True)
class NetAbroad:
    """Net sales of a year in a currency, as a decimal text."""

    year: int
    currency: str
    net: str


@dataclass(frozen=True, slots=True)
class TaxSum:
    """What was sold and taxed in a currency, at a place, under a tax, rate and treatment: decimal texts, and orders."""

    currency: str
    place: str
    name: str
    rate: str
    treatment: str
    base: str
    amount: str
    orders: int


async def net_taxed_at_home_abroad(
    connection: Connection, site_id: UUID, mode: str, since: int, zone: str
) -> list[NetAbroad]:
    """Net sales to consumers across EU borders that were taxed at home, or under the one-stop shop, by year; what
    delivery of them cost counts, too."""
    return await rows(
        connection,
        NetAbroad,
        "select extract(year from o.paid_at at time zone %(zone)s)::int as year, o.currency,"
        " sum((part ->> 'net')::numeric)::text as net"
        " from orders o, lateral (select jsonb_array_elements(o.quote -> 'lines') as part union all"
        " select jsonb_array_elements(o.quote -> 'delivery' -> 'parts')) parts"
        " where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'"
        " and part -> 'taxed' -> 'reason' ->> 'code' in ('eu_below_threshold', 'one_stop_shop')"
        " and o.paid_at >= make_timestamptz(%(since)s, 1, 1, 0, 0, 0, %(zone)s)"
        " group by 1, 2 order by 1, 2",
        {"site": site_id, "mode": mode, "since": since, "zone": zone},
    )


async def tax_sums(
    connection: Connection, site_id: UUID, mode: str, first: date, last: date, zone: str
) -> list[TaxSum]:
    """Bases and taxes of the orders that were paid from a day to a day, both included, in the site's zone."""
    return await rows(
        connection,
        TaxSum,
        "select o.currency, tax ->> 'place' as place, tax ->> 'name' as name, tax ->> 'rate' as rate,"
        " tax ->> 'treatment' as treatment, sum((tax ->> 'base')::numeric)::text as base,"
        " sum((tax ->> 'amount')::numeric)::text as amount, count(distinct o.id)::int as orders"
        " from orders o, jsonb_array_elements(o.quote -> 'taxes') tax"
        " where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'"
        " and (o.paid_at at time zone %(zone)s)::date between %(first)s and %(last)s"
        " group by 1, 2, 3, 4, 5 order by 1, 2, 3, 4, 5",
        {"site": site_id, "mode": mode, "first": first, "last": last, "zone": zone},
    )


@dataclass(frozen=True, slots=True)
class PaidSum:
    """What the orders of a currency were paid with, in minor units; `lines` is what their parts come to, as a text."""

    currency: str
    orders: int
    total: int
    lines: str


async def paid_sums(
    connection: Connection, site_id: UUID, mode: str, first: date, last: date, zone: str
) -> list[PaidSum]:
    """What was paid from a day to a day, by currency."""
    return await rows(
        connection,
        PaidSum,
        "select currency, count(*)::int as orders, sum(total)::bigint as total, sum("
        " (select coalesce(sum((line ->> 'total')::numeric), 0) from jsonb_array_elements(quote -> 'lines') line)"
        " + coalesce((quote -> 'delivery' ->> 'total')::numeric, 0))::text as lines"
        " from orders where site_id = %(site)s and mode = %(mode)s and state = 'paid'"
        " and (paid_at at time zone %(zone)s)::date between %(first)s and %(last)s"
        " group by 1 order by 1",
        {"site": site_id, "mode": mode, "first": first, "last": last, "zone": zone},
    )


@dataclass(frozen=True, slots=True)
class OneStopRecord:
    """One thing sold under the one-stop shop: amounts as decimal texts, `on` the day it was paid, `paid` what the
    whole order was paid with, and the evidence of where the buyer is."""

    order: str
    paper: str | None
    on: date
    place: str
    kind: str
    what: str
    quantity: int
    currency: str
    net: str
    rate: str
    tax: str
    paid: str
    declared: str
    connection: str | None
    confirmed: bool
    sent_to: str | None


async def one_stop_records(
    connection: Connection, site_id: UUID, mode: str, first: date, last: date, zone: str
) -> list[OneStopRecord]:
    """What was sold under the one-stop shop and paid from a day to a day, in the order of payment."""
    return await rows(
        connection,
        OneStopRecord,
        """
        with sold as (
          select o.id, line.value as part, line.value ->> 'name' as what, (line.value ->> 'quantity')::int as quantity,
            coalesce(p.document -> 'lines' -> (line.n::int - 1) ->> 'kind', 'goods') as kind, line.n
          from orders o left join papers p on p.site_id = o.site_id and p.mode = o.mode and p.order_id = o.id,
            jsonb_array_elements(o.quote -> 'lines') with ordinality as line (value, n)
          where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'
            and (o.paid_at at time zone %(zone)s)::date between %(first)s and %(last)s
          union all
          select o.id, part.value, o.quote -> 'delivery' ->> 'name', 1, 'delivery', 1000000 + part.n
          from orders o, jsonb_array_elements(o.quote -> 'delivery' -> 'parts') with ordinality as part (value, n)
          where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'
            and (o.paid_at at time zone %(zone)s)::date between %(first)s and %(last)s
        )
        select o.code as order, p.written as paper, (o.paid_at at time zone %(zone)s)::date as on,
          sold.part -> 'taxed' ->> 'place' as place, sold.kind, sold.what, sold.quantity, o.currency,
          sold.part ->> 'net' as net, sold.part -> 'taxed' ->> 'rate' as rate, sold.part ->> 'tax' as tax,
          o.quote ->> 'due_today' as paid, o.buyer ->> 'country' as declared,
          o.buyer -> 'evidence' ->> 'connection' as connection,
          coalesce((o.buyer -> 'evidence' ->> 'confirmed')::boolean, false) as confirmed,
          case when o.quote -> 'delivery' <> 'null' then
            coalesce(o.buyer -> 'deliver_to' ->> 'country', o.buyer ->> 'country') end as sent_to
        from sold join orders o on o.site_id = %(site)s and o.mode = %(mode)s and o.id = sold.id
          left join papers p on p.site_id = o.site_id and p.mode = o.mode and p.order_id = o.id
        where sold.part -> 'taxed' -> 'reason' ->> 'code' = 'one_stop_shop'
        order by o.paid_at, o.id, sold.n
        """,
        {"site": site_id, "mode": mode, "first": first, "last": last, "zone": zone},
    )
