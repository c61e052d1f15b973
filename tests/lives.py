"""A subscription lived through by the core alone: what it says will happen, against which what did is compared."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime

from skurrow.core.edition import Edition
from skurrow.core.order import Buyer, Order
from skurrow.core.quote.quote import quote
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.reckoning import Reckoning
from skurrow.core.subscriptions.terms import terms_of


@dataclass
class Told:
    """What the core says of a life: how it stands in the end, and each charge, by its day, number and total."""

    life: Life
    charges: list[tuple[date, int, int]] = field(default_factory=list)
    tasks: list[str] = field(default_factory=list)


def begun(edition: Edition, order: Order) -> Life:
    """The life of what an order of one line begins."""
    quoted = quote(edition, order)
    (line,) = quoted.lines
    terms = terms_of(edition, quoted, 0, order.delivery)
    return core.begin(terms, line.charged.counted_from, order.at, (line.total, line.tax), "2039-12", line.charged.today)


def live(
    edition: Edition,
    life: Life,
    buyer: Buyer,
    until: datetime,
    refuse: Callable[[Life], bool] = lambda _: False,
) -> Told:
    """Everything that falls due up to an instant."""
    rules, zone = edition.site.subscriptions, edition.site.site.zone
    told = Told(life)
    while True:
        due = core.due(told.life, rules, zone)
        if due is None or due.at > until:
            return told
        day, life = due.at.astimezone(zone).date(), told.life
        told.tasks.append(due.task)
        if due.task == "charge":
            life = core.charge(life)
            found = Reckoning(edition, life.terms, buyer, life.counted_from).on(life.next)
            if refuse(life):
                told.life = core.failed(life)
                continue
            told.charges.append((day, life.period, found.total))
            (part,) = found.due
            told.life = core.charged(life, (part.taxed.total, part.taxed.tax), zone)
        elif due.task == "resume":
            told.life = core.resumed(life, day)
        elif due.task == "pause":
            told.life = core.paused(life)
        elif due.task == "end":
            told.life = core.ended(life, day)
        elif due.task == "give_up":
            told.life = core.given_up(life, day)
        else:
            told.life = core.told(life, due.key)
