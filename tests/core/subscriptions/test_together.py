"""Plans of one order: what the quote said of a day is what they come to, each its own part, as long as they last."""

from __future__ import annotations

from datetime import date
from itertools import combinations
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from skurrow.core.check.site import check_data
from skurrow.core.edition import Edition, compile_site
from skurrow.core.order import Order, read_order
from skurrow.core.quote.quote import quote, schedule
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.outlook import Outlook
from skurrow.core.subscriptions.reckoning import Beside, Reckoning
from skurrow.core.subscriptions.terms import Terms, promised_later, terms_of
from skurrow.core.subscriptions.together import beside
from tests.core.sites import shop

PLANS = ["month", "quarter", "year", "taste", "press-4", "press-hire", "letter", "course"]
COUPONS = ["HALF3", "ALWAYS", "SHARED", "SHARED3", "ONCE", "LETTERS"]


def site(rounding: str = "line", included: bool = True) -> Edition:
    """The shop with a letter and a course, coupons of each kind, and a parcel's price by what is in it."""
    data = shop()
    data["tax"] = {"registrations": [{"place": "NL"}], "rounding": rounding, "included": included}
    data["products"] += [
        {"id": "letter", "name": "Letter", "kind": "digital", "counts_as": "ebook",
         "prices": [{"id": "letter", "kind": "recurring", "every": "P1M", "amount": {"EUR": "8.99"}}]},
        {"id": "course", "name": "Course", "kind": "service",
         "prices": [{"id": "course", "kind": "instalments", "every": "P1M", "payments": 3,
                     "amount": {"EUR": "33.33"}}]},
    ]  # fmt: skip
    data["coupons"] = [
        {"id": "HALF3", "percent": "50", "renewals": 3},
        {"id": "ALWAYS", "percent": "7.5", "renewals": "all"},
        {"id": "SHARED", "amount": {"EUR": "5.00"}, "renewals": "all"},
        {"id": "SHARED3", "amount": {"EUR": "10.01"}, "renewals": 3},
        {"id": "ONCE", "amount": {"EUR": "4.00"}},
        {"id": "LETTERS", "amount": {"EUR": "2.00"}, "renewals": "all", "only": ["letter", "parcel"]},
    ]
    post = {"id": "post", "name": "Post", "amount": {"EUR": "4.95"}, "free_from": {"EUR": "100.00"}}
    data["delivery"] = {"zones": [{"name": "Home", "places": ["NL"], "methods": [post]}]}
    return compile_site(check_data(data))


EDITIONS = {(way, included): site(way, included) for way in ("line", "rate") for included in (True, False)}


def ordered(plans: list[str], **more: Any) -> Order:
    return read_order(
        {"at": "2027-01-31T12:00:00Z", "currency": "EUR", "items": [{"price": one, "quantity": 1} for one in plans],
         "buyer": {"country": "NL"}, "delivery": "post", **more}
    )  # fmt: skip


def begun(edition: Edition, order: Order) -> list[Life]:
    """The life of each plan that an order begins."""
    quoted = quote(edition, order)
    lives = []
    for i, line in enumerate(quoted.lines):
        if line.charged.priced.rhythm.kind in ("recurring", "instalments"):
            terms = Terms.model_validate(terms_of(edition, quoted, i, order.delivery).model_dump(mode="json"))
            paid = line.total, line.tax
            lives.append(core.begin(terms, line.charged.counted_from, order.at, paid, None, line.charged.today))
    return lives


def reckonings(edition: Edition, order: Order, lives: list[Life], same_place: bool = True) -> list[Reckoning]:
    """Each plan's charges, with the others beside it."""
    found = []
    for life in lives:
        others = [part for other in lives if other is not life for part in beside(other, edition, same_place)]
        found.append(Reckoning(edition, life.next_terms, order.buyer, life.counted_from, others))
    return found


def sums(found: list[Reckoning], until: date) -> dict[date, tuple[int, int]]:
    """What all of them come to on each day."""
    days: dict[date, tuple[int, int]] = {}
    for one in found:
        for charge in one.following(0, until):
            total, tax = days.get(charge.on, (0, 0))
            days[charge.on] = total + charge.total, tax + charge.tax
    return days


def said(edition: Edition, order: Order, until: date) -> dict[date, tuple[int, int]]:
    return {
        date.fromisoformat(one["on"]): (_minor(one["total"]), _minor(one["tax"]))
        for one in schedule(edition, order, until)
    }


def _minor(text: str) -> int:
    return int(text.replace(".", ""))


def check(way: str, included: bool, plans: list[str], coupons: list[str]) -> None:
    edition, order = EDITIONS[way, included], ordered(plans, coupons=coupons)
    until = date(2028, 8, 1)
    lives = begun(edition, order)
    found = reckonings(edition, order, lives)
    assert sums(found, until) == said(edition, order, until)
    quoted = quote(edition, order)
    for life, one in zip(lives, found, strict=True):
        promised = dict(promised_later(quoted, life.terms.line))
        assert promised == {charge.on: charge.total for charge in one.following(0, until) if charge.on in promised}


@pytest.mark.parametrize("plans", list(combinations(PLANS, 2)), ids="+".join)
def test_what_two_plans_come_to_is_what_the_order_was_shown(plans: tuple[str, str]) -> None:
    check("rate", True, list(plans), ["SHARED", "SHARED3", "LETTERS"])


@given(
    st.sampled_from(["line", "rate"]), st.booleans(), st.permutations(PLANS), st.integers(2, 4),
    st.permutations(COUPONS), st.integers(0, 4),
)  # fmt: skip
def test_any_plans_with_any_coupons_come_to_what_was_shown(
    way: str, included: bool, plans: list[str], many: int, coupons: list[str], named: int
) -> None:
    check(way, included, plans[:many], coupons[:named])


def test_a_coupon_for_all_renewals_and_the_delivery_are_counted_once() -> None:
    edition, order = EDITIONS["line", True], ordered(["month", "letter"], coupons=["SHARED"])
    parcels, letters = reckonings(edition, order, begun(edition, order))
    first, second = parcels.on(1), letters.on(1)
    assert [cut for _, cut in first.due[0].cuts] == [364]  # 5.00 over 24.00 and 8.99
    assert [cut for _, cut in second.due[0].cuts] == [136]
    assert (first.total, second.total) == (2400 - 364 + 495, 899 - 136)
    assert (first.sent is not None, second.sent) == (True, None)


def test_two_plans_of_goods_go_in_one_parcel_unless_to_two_places() -> None:
    edition, order = EDITIONS["line", True], ordered(["month", "quarter"], coupons=["SHARED"])
    lives = begun(edition, order)
    monthly, quarterly = reckonings(edition, order, lives)
    assert (monthly.on(3).total + quarterly.on(1).total) == 2400 + 6600 - 500 + 495
    assert (monthly.on(2).total, quarterly.on(1).sent) == (2400 - 500 + 495, None)
    monthly, quarterly = reckonings(edition, order, lives, same_place=False)
    assert (monthly.on(3).total + quarterly.on(1).total) == 2400 + 6600 - 500 + 2 * 495


def test_who_ends_pauses_or_changes_leaves_the_rest_to_the_other() -> None:
    edition, order = EDITIONS["line", True], ordered(["month", "quarter"], coupons=["SHARED"])
    monthly, quarterly = begun(edition, order)
    alone = Reckoning(edition, quarterly.terms, order.buyer, quarterly.counted_from).on(1)
    assert alone.total == 6600 - 500 + 495
    together = reckonings(edition, order, [monthly, quarterly])[1].on(1).total
    assert together == 6600 - 367  # 5.00 over 24.00 and 66.00; the parcel goes with the monthly one
    ended = core.cancel(monthly)
    ended = core.ended(ended, monthly.until)
    for gone in (core.cancel(monthly), ended, core.pause(monthly, None), core.paused(core.pause(monthly, None))):
        assert reckonings(edition, order, [gone, quarterly])[1].on(1) == alone
    completed = monthly.model_copy(update={"state": "completed", "ended_on": quarterly.until})
    assert reckonings(edition, order, [completed, quarterly])[1].on(1).total == together, "its last charge was today"
    later = core.follow(monthly, monthly.terms.model_copy(update={"unit": 6600, "every": "P2M"}))
    by_then = reckonings(edition, order, [later, quarterly])[1]
    assert by_then.on(1).total == alone.total, "in April it is not charged: every second month from the end of February"
    assert by_then.on(2).total == 6600 - 500 + 495
    assert [one.before for one in beside(later, edition, True)] == [monthly.until, None]
    assert later.following is not None
    for_good = [one for one in beside(later, edition, True) if one.is_charged(date(2027, 6, 28))]
    assert [one.terms for one in for_good] == [later.following]


def test_a_parcel_over_the_low_value_limit_is_what_goes_in_it_that_day() -> None:
    data = shop()
    data["tax"] = {"registrations": [{"place": "NL"}, {"place": "GB"}]}
    post = {"id": "post", "name": "Post", "amount": {"EUR": "5.00"}}
    data["delivery"] = {"zones": [{"name": "UK", "places": ["GB"], "methods": [post]}]}
    edition = compile_site(check_data(data))
    items = [{"price": "month", "quantity": 5}, {"price": "quarter", "quantity": 2}]
    order = ordered([], items=items, currency="GBP", buyer={"country": "GB", "postal_code": "SW1A 1AA"})
    until = date(2027, 12, 31)
    lives = begun(edition, order)
    found = reckonings(edition, order, lives)
    assert sums(found, until) == said(edition, order, until)
    one, both = found[0].on(1).due[0].taxed, found[0].on(3).due[0].taxed
    assert (one.ruling.treatment, both.ruling.treatment) == ("standard", "export"), "135 pounds is the limit"
    gone = core.cancel(lives[1])
    assert reckonings(edition, order, [lives[0], gone])[0].on(3).due[0].taxed.ruling.treatment == "standard"


def test_what_comes_in_counts_a_shared_coupon_once() -> None:
    edition, order = EDITIONS["line", True], ordered(["month", "letter"], coupons=["SHARED"])
    outlook = Outlook()
    for life in begun(edition, order):
        outlook.add(life, date(2027, 2, 1), 2)
    assert outlook.income == {"EUR": 2400 + 899 - 500}
    assert outlook.expected[date(2027, 2, 1)] == {"EUR": 2400 + 899 - 500}


def test_terms_kept_before_plans_shared_anything_are_read_as_alone() -> None:
    edition, order = EDITIONS["line", True], ordered(["month"], coupons=["SHARED"])
    (life,) = begun(edition, order)
    kept = life.terms.model_dump(mode="json")
    for name in ("line", "plans"):
        kept.pop(name)
    for promise in kept["promises"]:
        for name in ("shared", "part", "place"):
            promise.pop(name)
    old = Reckoning(edition, Terms.model_validate(kept), order.buyer, life.counted_from)
    assert old.on(1).total == Reckoning(edition, life.terms, order.buyer, life.counted_from).on(1).total == 2395
    assert Beside(edition, life.terms, life.counted_from, life.counted_from, None, True).is_charged(life.until)
