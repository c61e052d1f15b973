"""Sums of tax from paid orders, out of the quotes they were paid by."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from skurrow.store.book import Book
from skurrow.store.database import rows


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


async def net_taxed_at_home_abroad(book: Book, since: int, zone: str) -> list[NetAbroad]:
    """Net sales to consumers across EU borders that were taxed at home, or under the one-stop shop, by year, less what
    was given back; what delivery of them cost counts, too."""
    return await rows(
        book.db,
        NetAbroad,
        """
        with moved as (
          select o.currency, o.paid_at as at, 1 as sign, part
          from orders o, lateral (select coalesce(o.quote -> 'set', o.quote) as quote) taxed,
            lateral (select jsonb_array_elements(taxed.quote -> 'lines') as part union all
            select jsonb_array_elements(taxed.quote -> 'delivery' -> 'parts')) parts
          where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'
          union all
          select r.currency, r.closed_at, -1, part
          from refunds r, jsonb_array_elements(r.parts) part
          where r.site_id = %(site)s and r.mode = %(mode)s and r.state = 'made'
          union all
          select c.currency, c.at, -1, part
          from credits c, jsonb_array_elements(c.parts) part
          where c.site_id = %(site)s and c.mode = %(mode)s
        )
        select extract(year from at at time zone %(zone)s)::int as year, currency,
          sum(sign * (part ->> 'net')::numeric)::text as net
        from moved
        where part -> 'taxed' -> 'reason' ->> 'code' in ('eu_below_threshold', 'one_stop_shop')
          and at >= make_timestamptz(%(since)s, 1, 1, 0, 0, 0, %(zone)s)
        group by 1, 2 order by 1, 2
        """,
        {"site": book.site_id, "mode": book.mode, "since": since, "zone": zone},
    )


async def tax_sums(book: Book, first: date, last: date, zone: str) -> list[TaxSum]:
    """Bases and taxes of what was paid from a day to a day, both included, in the site's zone, less what was given back
    or credited in these days. A set of instalments counts as a whole with its first payment."""
    return await rows(
        book.db,
        TaxSum,
        """
        with taxes as (
          select o.id, o.currency, 1 as sign, tax
          from orders o, jsonb_array_elements(coalesce(o.quote -> 'set', o.quote) -> 'taxes') tax
          where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'
            and (o.paid_at at time zone %(zone)s)::date between %(first)s and %(last)s
          union all
          select r.order_id, r.currency, -1, tax
          from refunds r, jsonb_array_elements(r.parts) part, jsonb_array_elements(part -> 'taxes') tax
          where r.site_id = %(site)s and r.mode = %(mode)s and r.state = 'made'
            and (r.closed_at at time zone %(zone)s)::date between %(first)s and %(last)s
          union all
          select c.order_id, c.currency, -1, tax
          from credits c, jsonb_array_elements(c.parts) part, jsonb_array_elements(part -> 'taxes') tax
          where c.site_id = %(site)s and c.mode = %(mode)s
            and (c.at at time zone %(zone)s)::date between %(first)s and %(last)s
        )
        select currency, tax ->> 'place' as place, tax ->> 'name' as name, tax ->> 'rate' as rate,
          tax ->> 'treatment' as treatment, sum(sign * (tax ->> 'base')::numeric)::text as base,
          sum(sign * (tax ->> 'amount')::numeric)::text as amount, count(distinct id)::int as orders
        from taxes group by 1, 2, 3, 4, 5 order by 1, 2, 3, 4, 5
        """,
        {"site": book.site_id, "mode": book.mode, "first": first, "last": last, "zone": zone},
    )


@dataclass(frozen=True, slots=True)
class PaidSum:
    """What the orders of a currency were paid with, balances included, less what was given back or credited, in minor
    units; `lines` is what their parts come to, as a text."""

    currency: str
    orders: int
    total: int
    refunded: int
    lines: str


async def paid_sums(book: Book, first: date, last: date, zone: str) -> list[PaidSum]:
    """What was paid from a day to a day, less what was given back in these days, by currency."""
    return await rows(
        book.db,
        PaidSum,
        """
        with moved as (
          select currency, 1 as orders, total + from_balance as total, 0::bigint as refunded,
            (select coalesce(sum((line ->> 'total')::numeric), 0) from jsonb_array_elements(quote -> 'lines') line)
            + coalesce((quote -> 'delivery' ->> 'total')::numeric, 0) as lines
          from orders where site_id = %(site)s and mode = %(mode)s and state = 'paid'
            and (paid_at at time zone %(zone)s)::date between %(first)s and %(last)s
          union all
          select currency, 0, -amount, amount,
            -(select sum((part ->> 'total')::numeric) from jsonb_array_elements(parts) part)
          from refunds where site_id = %(site)s and mode = %(mode)s and state = 'made'
            and (closed_at at time zone %(zone)s)::date between %(first)s and %(last)s
          union all
          select currency, 0, -amount, amount,
            -(select sum((part ->> 'total')::numeric) from jsonb_array_elements(parts) part)
          from credits where site_id = %(site)s and mode = %(mode)s
            and (at at time zone %(zone)s)::date between %(first)s and %(last)s
        )
        select currency, sum(orders)::int as orders, sum(total)::bigint as total, sum(refunded)::bigint as refunded,
          sum(lines)::text as lines
        from moved group by 1 order by 1
        """,
        {"site": book.site_id, "mode": book.mode, "first": first, "last": last, "zone": zone},
    )


@dataclass(frozen=True, slots=True)
class OneStopRecord:
    """One thing sold under the one-stop shop, or given back (then with a minus): amounts as decimal texts, `on` the day
    it was paid, `paid` what the whole order was paid with, and the evidence of where the buyer is."""

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


async def one_stop_records(book: Book, first: date, last: date, zone: str) -> list[OneStopRecord]:
    """What was sold under the one-stop shop and paid from a day to a day, in the order of payment."""
    return await rows(
        book.db,
        OneStopRecord,
        """
        with sold as (
          select o.id, o.paid_at as at, p.written as paper, o.quote ->> 'due_today' as moved, line.value as part,
            line.value ->> 'name' as what, (line.value ->> 'quantity')::int as quantity,
            coalesce(p.document -> 'lines' -> (line.n::int - 1) ->> 'kind', 'goods') as kind, line.n, '' as sign
          from orders o left join papers p on p.site_id = o.site_id and p.mode = o.mode and p.order_id = o.id
              and p.refund_id is null and p.credit_id is null,
            jsonb_array_elements(coalesce(o.quote -> 'set', o.quote) -> 'lines') with ordinality as line (value, n)
          where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'
          union all
          select o.id, o.paid_at, p.written, o.quote ->> 'due_today', part.value, o.quote -> 'delivery' ->> 'name', 1,
            'delivery', 1000000 + part.n, ''
          from orders o left join papers p on p.site_id = o.site_id and p.mode = o.mode and p.order_id = o.id
              and p.refund_id is null and p.credit_id is null,
            jsonb_array_elements(coalesce(o.quote -> 'set', o.quote) -> 'delivery' -> 'parts')
              with ordinality as part (value, n)
          where o.site_id = %(site)s and o.mode = %(mode)s and o.state = 'paid'
          union all
          select r.order_id, r.closed_at, p.written,
            (select '-' || sum((one ->> 'total')::numeric) from jsonb_array_elements(r.parts) one),
            part.value, part.value ->> 'name', 1, part.value ->> 'kind', part.n, '-'
          from refunds r left join papers p on p.site_id = r.site_id and p.mode = r.mode and p.refund_id = r.id,
            jsonb_array_elements(r.parts) with ordinality as part (value, n)
          where r.site_id = %(site)s and r.mode = %(mode)s and r.state = 'made'
          union all
          select c.order_id, c.at, p.written,
            (select '-' || sum((one ->> 'total')::numeric) from jsonb_array_elements(c.parts) one),
            part.value, part.value ->> 'name', 1, part.value ->> 'kind', part.n, '-'
          from credits c left join papers p on p.site_id = c.site_id and p.mode = c.mode and p.credit_id = c.id,
            jsonb_array_elements(c.parts) with ordinality as part (value, n)
          where c.site_id = %(site)s and c.mode = %(mode)s
        )
        select o.code as order, sold.paper, (sold.at at time zone %(zone)s)::date as on,
          sold.part -> 'taxed' ->> 'place' as place, sold.kind, sold.what, sold.quantity, o.currency,
          sold.sign || (sold.part ->> 'net') as net, sold.part -> 'taxed' ->> 'rate' as rate,
          sold.sign || (sold.part ->> 'tax') as tax, sold.moved as paid, o.buyer ->> 'country' as declared,
          o.buyer -> 'evidence' ->> 'connection' as connection,
          coalesce((o.buyer -> 'evidence' ->> 'confirmed')::boolean, false) as confirmed,
          case when o.quote -> 'delivery' <> 'null' then
            coalesce(o.buyer -> 'deliver_to' ->> 'country', o.buyer ->> 'country') end as sent_to
        from sold join orders o on o.site_id = %(site)s and o.mode = %(mode)s and o.id = sold.id
        where sold.part -> 'taxed' -> 'reason' ->> 'code' = 'one_stop_shop'
          and (sold.at at time zone %(zone)s)::date between %(first)s and %(last)s
        order by sold.at, o.id, sold.n
        """,
        {"site": book.site_id, "mode": book.mode, "first": first, "last": last, "zone": zone},
    )
