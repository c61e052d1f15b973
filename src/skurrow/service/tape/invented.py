"""An invented sale of the draft, of which mails and pages are made to be looked at."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import datetime
from uuid import UUID

from skurrow.core.draft.review import as_buyer, as_customer
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.order import Item, Order, QuoteRefused
from skurrow.core.quote.delivery_choices import way_chosen, ways_of
from skurrow.core.quote.kept import KeptBuyer
from skurrow.core.quote.quote import quote
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.tape.tape import wanted_of
from skurrow.service.counter.placing import planned
from skurrow.service.refusals import NotFound
from skurrow.store.orders.orders import OrderRow

CODE = "EXAMPLE2"
"""The code of an order that never was."""

ENDING = "0000"
"""The end of a card that never was."""


def invented(
    edition: Edition,
    who: StandInBuyer,
    at: datetime,
    language: str,
    prices: Iterator[PricedProduct],
    new_id: Callable[[], UUID],
) -> OrderRow:
    """A paid order of the first of these prices that the buyer can have. Raises NotFound where they can have none."""
    buyer = as_buyer(who)
    for priced in prices:
        variant = next(iter(priced.variants), None)
        wanted = wanted_of(priced, who.currency, None, variant)
        item = Item(price=wanted.price, quantity=wanted.quantity, variant=variant, chosen=wanted.chosen)
        try:
            way = way_chosen(ways_of(edition, [priced], buyer), None)
            order = Order(
                at=at, currency=who.currency, items=[item], buyer=buyer, delivery=way, customer=as_customer(who)
            )
            quoted = quote(edition, order)
        except QuoteRefused:
            continue
        kept = KeptBuyer(
            email=who.email,
            name=who.person,
            country=who.country,
            address={"street": "Invented Street 1", "city": "Anywhere", "postal_code": who.postal_code or "1000"},
            language=language,
            business=who.business,
            company=f"{who.person} & Co" if who.business else None,
        )
        begins = planned(edition, quoted, way)
        return OrderRow(
            id=new_id(),
            mode="test",
            visit=new_id(),
            code=CODE,
            checkout_id="",
            change=0,
            release=None,
            state="paid",
            buyer=kept.model_dump(mode="json", exclude_defaults=True),
            currency=quoted.currency,
            total=quoted.due_today,
            quote=quoted.as_json(),
            created_at=at,
            paid_at=at,
            wanted={
                "items": [item.model_dump(mode="json", exclude_none=True)],
                **({"delivery": way} if way else {}),
                **({"subscriptions": begins} if begins else {}),
            },
        )
    raise NotFound(f"{who.person} can buy nothing that this mail could be about")
