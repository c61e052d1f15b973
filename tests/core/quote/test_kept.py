"""What an order has stored is read with types, also where it is as an earlier version wrote it."""

from __future__ import annotations

from typing import Any

import pytest
from pydantic import ValidationError

from skurrow.core.order import Address
from skurrow.core.quote.kept import KeptBuyer, KeptOrder
from tests.core.quote.test_quote import order, quoted
from tests.core.sites import sold

LEAST = {"email": "a@example.org", "name": "A", "country": "NL"}


def test_what_a_quote_writes_is_what_is_read() -> None:
    written = quoted(order({"price": "kit", "quantity": 2}, {"price": "month"}), sold())
    kept = KeptOrder(LEAST, {"items": [{"price": "kit", "quantity": 2}, {"price": "month"}]}, written)
    assert [(one.name, one.price, one.total, one.tax) for one in kept.quote.lines] == [
        (one["name"], one["price"], one["total"], one["tax"]) for one in written["lines"]
    ]
    assert [(one.on.isoformat(), one.total) for one in kept.quote.later] == [
        (one["on"], one["total"]) for one in written["later"]
    ]
    assert len(kept.quote.later) > 0
    assert kept.what == ", ".join(one["name"] for one in written["lines"])
    assert [item.need for item in kept.wanted.items] == [("kit", None, 2), ("month", None, 1)]


def test_the_first_orders_have_less() -> None:
    kept = KeptOrder(LEAST, {}, {"lines": []})
    assert (kept.buyer.business, kept.buyer.address, kept.buyer.evidence.card) == (False, {}, None)
    assert (kept.wanted.items, kept.wanted.coupons, kept.quote.delivery, kept.quote.later) == ((), (), None, ())


@pytest.mark.parametrize(("answer", "confirmed"), [("valid", True), ("invalid", False), ("silent", None), (None, None)])
def test_a_number_counts_as_confirmed_only_where_the_look_up_said_so(
    answer: str | None, confirmed: bool | None
) -> None:
    buyer = KeptBuyer.model_validate(
        {**LEAST, "business": True, "tax_number": "NL1", "tax_number_check": {"answer": answer}}
    ).as_buyer()
    assert (buyer.business, buyer.tax_number_confirmed) == (True, confirmed)


@pytest.mark.parametrize(
    ("to", "place"),
    [
        (None, None),
        ({"country": "DE", "postal_code": "20095", "name": "B"}, Address(country="DE", postal_code="20095")),
        ({"postal_code": "7411"}, Address(country="NL", postal_code="7411")),
    ],
)
def test_a_parcel_goes_where_it_is_to_be_sent(to: dict[str, str] | None, place: Address | None) -> None:
    assert KeptBuyer.model_validate({**LEAST, "deliver_to": to}).as_buyer().deliver_to == place


def test_what_is_stored_as_nothing_is_as_if_it_were_not_stored() -> None:
    nothing = {"address": None, "tax_number_check": None, "evidence": None, "company": None, "business": None}
    kept = KeptOrder({**LEAST, **nothing}, {"coupons": None, "by": None}, {"lines": [], "taxes": None, "notes": None})
    assert (kept.buyer.address, kept.buyer.business, kept.buyer.as_buyer().tax_number_confirmed) == ({}, False, None)
    assert (kept.wanted.coupons, kept.quote.taxes, kept.quote.notes) == ((), (), ())
    half = KeptBuyer.model_validate({**LEAST, "address": {"street": "Kade 1", "region": None}})
    assert half.address == {"street": "Kade 1"}


@pytest.mark.parametrize("missing", ["email", "name", "country"])
def test_what_has_always_been_there_is_asked_for(missing: str) -> None:
    stored: dict[str, Any] = {name: text for name, text in LEAST.items() if name != missing}
    with pytest.raises(ValidationError, match=missing):
        _ = KeptOrder(stored, {}, {"lines": []}).buyer
