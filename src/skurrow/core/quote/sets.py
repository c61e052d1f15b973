"""How sets of instalments are documented: with the first payment, as the whole set, for that is when it is supplied."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from datetime import date
from typing import Any

from skurrow.core.money import amount_writer
from skurrow.core.quote.charges import DueLine
from skurrow.core.quote.discounts import Cuts
from skurrow.core.quote.taxing import SUPPLIED_IN_TIME, Taxed
from skurrow.core.quote.written import Line, Quote, tax_lines


def as_one(parts: Sequence[DueLine]) -> DueLine:
    """Several payments of a set, which are all taxed alike, as one."""
    cuts: Cuts = [cut for part in parts for cut in part.cuts]
    first, taxes = parts[0].taxed, [sum(levied) for levied in zip(*(part.taxed.taxes for part in parts), strict=True)]
    taxed = Taxed(
        sum(part.taxed.untaxed for part in parts),
        sum(part.taxed.total for part in parts),
        sum(part.taxed.tax for part in parts),
        taxes,
        first.ruling,
    )
    subtotal, left = sum(part.subtotal for part in parts), sum(part.left for part in parts)
    return DueLine(parts[0].line, parts[0].n, subtotal, cuts, left, taxed)


def documented(quote: Quote) -> dict[str, Any] | None:
    """How an order is documented and reported that begins sets of instalments: each as the whole set, with what is
    `still_due` of them by day. None where it begins none: a service or an event is supplied payment by payment."""
    still_due: Counter[date] = Counter()
    lines = []
    for i, line in enumerate(quote.lines):
        if not _begins_set(line):
            lines.append(line)
            continue
        count = line.charged.priced.rhythm.first_set
        rest = [(day, part) for day in quote.later for part in day.due if part.line == i and 0 < part.n < count]
        for day, part in rest:
            still_due[day.on] += part.taxed.total
        now = DueLine(i, 0, line.subtotal, line.cuts, line.left, line.taxed)
        whole = as_one([now, *(part for _, part in rest)])
        unit = whole.subtotal // line.item.quantity
        lines.append(
            line._replace(unit=unit, subtotal=whole.subtotal, cuts=whole.cuts, left=whole.left, taxed=whole.taxed)
        )
    if not any(map(_begins_set, quote.lines)):
        return None
    sent = quote.sent
    parts = [*[line.taxed for line in lines], *(sent.parts if sent is not None else ())]
    whole_quote = replace(
        quote,
        lines=tuple(lines),
        taxes=tax_lines(parts),
        due_today=sum(part.total for part in parts),
        tax_total=sum(part.tax for part in parts),
        later=(),
        written={},
    )
    money = amount_writer(quote.currency)
    due = [{"on": on.isoformat(), "amount": money(amount)} for on, amount in sorted(still_due.items())]
    return {**whole_quote.as_json(), "later": [], "still_due": due}


def _begins_set(line: Line) -> bool:
    charged = line.charged
    kind = charged.priced.what.kind
    return charged.priced.rhythm.kind == "instalments" and charged.today and kind not in SUPPLIED_IN_TIME
