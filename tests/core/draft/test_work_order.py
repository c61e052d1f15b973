"""The work order: how each stage stands."""

from __future__ import annotations

from skurrow.core.draft.work_order import work_order
from tests.core.sites import edition


def states(modes: tuple[str, ...], sold: bool, **changes: object) -> dict[str, tuple[str, int]]:
    return {s.stage: (s.state, s.attention) for s in work_order(edition(**changes), modes, ("test",) if sold else ())}


def test_a_site_that_is_just_begun_asks_for_a_gateway() -> None:
    found = states((), sold=False, products=[], checkouts=[])
    assert found["products"] == ("not_begun", 0)
    assert found["payments"] == ("attention", 1)
    assert found["checkouts"] == ("not_begun", 0)
    assert list(found) == [
        *("products", "payments", "tax-and-delivery", "checkouts", "on-the-site", "routes", "rehearsals", "orders")
    ]


def test_a_site_that_sells_is_ready() -> None:
    found = states(("test", "live"), sold=True)
    assert {found[stage][0] for stage in ("products", "payments", "checkouts", "on-the-site")} == {"ready"}


def test_books_that_differ_and_disputes_want_attention() -> None:
    stages = {s.stage: s for s in work_order(edition(), ("test", "live"), ("test",), differing=1, disputed=2)}
    payments, orders = stages["payments"], stages["orders"]
    assert (payments.state, payments.words, payments.attention) == ("attention", "the books differ", 1)
    assert (orders.state, orders.words, orders.attention) == ("attention", "2 disputes", 2)


def test_real_money_that_is_not_paid_out_wants_attention_and_test_money_does_not() -> None:
    for modes, stuck, expected in (
        (("test", "live"), ("Stand-in Cards",), ("attention", "Stand-in Cards pays nothing out yet", 1)),
        (("test", "live"), (), ("ready", "test and live", 0)),
        (("test",), (), ("in_work", "test connected", 0)),
    ):
        stages = {s.stage: s for s in work_order(edition(), modes, ("test",), not_paid_out=stuck)}
        found = stages["payments"]
        assert (found.state, found.words, found.attention) == expected


def test_sales_of_real_buyers_are_told_from_those_of_a_test() -> None:
    words = [
        {s.stage: s.words for s in work_order(edition(), ("test", "live"), books)}
        for books in ((), ("test",), ("live",), ("live", "test"))
    ]
    assert [one["orders"] for one in words] == ["none yet", "test sales only", "from real buyers", "from real buyers"]
    assert [one["on-the-site"] for one in words][:3] == ["no sale yet", "test sales only", "bought from"]
