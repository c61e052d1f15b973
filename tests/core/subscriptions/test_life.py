"""The life of a subscription: what falls due when, and what each thing makes of it."""

from __future__ import annotations

import contextlib
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from skurrow.core.check.site import check_data
from skurrow.core.durations import later
from skurrow.core.edition import Edition, compile_site
from skurrow.core.order import Buyer, read_order
from skurrow.core.problems import InvalidInput
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life, NotNow
from tests.core.sites import shop
from tests.lives import Told, begun, live

BUYER = Buyer(country="NL")


def edition(**rules: Any) -> Edition:
    data = shop()
    return compile_site(check_data({**data, "subscriptions": rules}))


def bought(found: Edition, price: str, day: str) -> Life:
    order = {"at": f"{day}T10:00:00+01:00", "currency": "EUR", "items": [{"price": price}], "buyer": {"country": "NL"}}
    return begun(found, read_order(order))


def at(day: str) -> datetime:
    return datetime.fromisoformat(f"{day}T12:00:00+01:00")


def lived(price: str, day: str, until: str, **rules: Any) -> Told:
    found = edition(**rules)
    return live(found, bought(found, price, day), BUYER, at(until))


@pytest.mark.parametrize(
    ("price", "day", "until", "days"),
    [
        ("month", "2027-01-31", "2027-05-01", ["2027-02-28", "2027-03-31", "2027-04-30"]),
        ("month", "2027-12-31", "2028-03-31", ["2028-01-31", "2028-02-29", "2028-03-31"]),
        ("quarter", "2027-11-30", "2028-09-01", ["2028-02-29", "2028-05-30", "2028-08-30"]),
        ("year", "2028-02-15", "2030-04-01", ["2028-02-29", "2029-02-28", "2030-02-28"]),  # after 14 days free
        ("taste", "2027-01-31", "2027-05-01", ["2027-02-28", "2027-03-31", "2027-04-30"]),
        ("press-4", "2027-01-31", "2029-01-01", ["2027-02-28", "2027-03-31", "2027-04-30"]),
        ("press-hire", "2027-10-31", "2028-12-01", ["2027-11-30", "2027-12-31", "2028-01-31", "2028-02-29",
                                                   "2028-10-31", "2028-11-30"]),
    ],
)  # fmt: skip
def test_charges_fall_on_their_days(price: str, day: str, until: str, days: list[str]) -> None:
    assert [str(one[0]) for one in lived(price, day, until).charges] == days


def test_a_set_of_instalments_ends_by_itself() -> None:
    told = lived("press-4", "2027-01-31", "2029-01-01")
    assert (told.life.state, told.life.ended_on, told.life.next_on) == ("completed", date(2027, 4, 30), None)
    assert core.due(told.life, edition().site.subscriptions, edition().site.site.zone) is None


def test_a_refused_charge_is_tried_on_the_days_of_the_rules_and_then_given_up() -> None:
    found = edition(retries=[2, 5], grace=9)
    begun_on = bought(found, "month", "2027-03-01")
    told = live(found, begun_on, BUYER, at("2027-06-01"), refuse=lambda life: life.period == 3)
    assert told.tasks == ["charge", "charge", "charge", "charge", "give_up"]
    assert (told.life.state, told.life.end_reason, told.life.ended_on) == ("ended", "unpaid", date(2027, 5, 10))


def test_a_late_payment_does_not_move_the_days_that_follow() -> None:
    found = edition(retries=[2, 5], grace=9)
    told = live(found, bought(found, "month", "2027-03-01"), BUYER, at("2027-06-02"),
                refuse=lambda life: life.period == 3 and life.tries < 2)  # fmt: skip
    assert [str(one[0]) for one in told.charges] == ["2027-04-01", "2027-05-06", "2027-06-01"]


@pytest.mark.parametrize(
    ("price", "day", "task", "when"),
    [
        ("year", "2027-03-01", "trial_ends", "2027-03-12T09:00:00+01:00"),
        ("month", "2027-03-01", "charge", "2027-04-01T00:00:00+02:00"),
    ],
)
def test_mails_go_out_at_nine_and_charges_at_the_first_instant(price: str, day: str, task: str, when: str) -> None:
    found = edition()
    due = core.due(bought(found, price, day), found.site.subscriptions, found.site.site.zone)
    assert due is not None
    assert (due.task, due.at) == (task, datetime.fromisoformat(when))


def test_a_yearly_renewal_and_an_expiring_card_are_told_ahead_once() -> None:
    found = edition(before_yearly=30, before_card_expires=10)
    life = bought(found, "year", "2027-03-01").model_copy(update={"card_expires": "2028-03"})
    told = live(found, life, BUYER, at("2028-06-01"))
    assert told.tasks == ["trial_ends", "charge", "renewal_ahead", "charge", "card_expires"]


def test_nobody_is_told_what_the_owner_does_not_want_told() -> None:
    found = edition(before_yearly=None, before_trial_ends=None, before_card_expires=None)
    assert live(found, bought(found, "year", "2027-03-01"), BUYER, at("2029-06-01")).tasks == ["charge"] * 3


def test_rules_that_cannot_be_are_refused_by_name() -> None:
    for rules, where in (
        ({"retries": [3, 3]}, "subscriptions.retries[1]"),
        ({"retries": [20], "grace": 10}, "subscriptions.retries[0]"),
        ({"customers_may": ["cancel", "cancel"]}, "subscriptions.customers_may"),
    ):
        with pytest.raises(InvalidInput) as caught:
            check_data({**shop(), "subscriptions": rules})
        assert [problem.where for problem in caught.value.problems] == [where]


@pytest.mark.parametrize(
    ("ladder", "where"),
    [
        (["month"], "products[6].ladder"),
        (["month", "gone"], "products[6].ladder[1]"),
        (["month", "moved"], "products[6].ladder[1]"),
        (["month", "month"], "products[6].ladder[1]"),
    ],
)
def test_a_ladder_leads_between_recurring_prices_of_its_product(ladder: list[str], where: str) -> None:
    data = shop()
    data["products"][6]["ladder"] = ladder
    with pytest.raises(InvalidInput) as caught:
        check_data(data)
    assert [problem.where for problem in caught.value.problems] == [where]


def test_what_does_not_go_with_how_it_stands_is_refused_in_words() -> None:
    found = edition()
    life = bought(found, "month", "2027-03-01")
    cancelled, pausing = core.cancel(life), core.pause(life, None)
    over = core.cancel_at_once(life, date(2027, 3, 2))
    instalments = bought(found, "press-4", "2027-03-01")
    for attempt, words in (
        (lambda: core.take_back(life), "nothing to take back"),
        (lambda: core.pause(cancelled, None), "It is to end"),
        (lambda: core.pause(life, date(2027, 4, 1)), "until 2027-04-01"),
        (lambda: core.follow(cancelled, life.terms), "It is to end"),
        (lambda: core.follow(pausing, life.terms), "paused"),
        (lambda: core.cancel(over), "has ended"),
        (lambda: core.cancel(instalments), "paid off early"),
        (lambda: core.pause(instalments, None), "cannot be paused"),
        (lambda: core.cancel(core.charge(life)), "under way"),
        (lambda: core.resumed(life, date(2027, 3, 3)), "not paused"),
        (lambda: core.check_restarting(life), "has ended"),
    ):
        with pytest.raises(NotNow, match=words):
            attempt()


def test_a_charge_that_failed_for_a_reason_of_ours_is_put_off_and_not_held_against_anybody() -> None:
    found = edition()
    life = bought(found, "month", "2027-03-01")
    until = at("2027-04-01")
    put_off = core.put_off(core.charge(life), until)
    due = core.due(put_off, found.site.subscriptions, found.site.site.zone)
    assert due is not None
    assert (due.at, due.task, put_off.state, put_off.tries) == (until, "charge", "active", 0)


class Pretend:
    """A subscription that things happen to, one after the other, as a property test wants them."""

    told: Told

    def __init__(self, day: date) -> None:
        self.edition = edition()
        self.told = Told(bought(self.edition, "month", day.isoformat()))
        self.now = datetime.combine(day, datetime.min.time(), UTC) + timedelta(hours=12)

    def wait(self, days: int) -> None:
        self.now += timedelta(days=days)
        more = live(self.edition, self.told.life, BUYER, self.now)
        self.told.life = more.life
        self.told.charges += more.charges

    def do(self, what: str) -> None:
        today = self.now.date()
        life = self.told.life
        with contextlib.suppress(NotNow):
            self.told.life = {
                "pause": lambda: core.pause(life, later(life.until, 1, 3)),
                "pause_on": lambda: core.pause(life, None),
                "resume": lambda: core.resumed(life, today),
                "cancel": lambda: core.cancel(life),
                "take_back": lambda: core.take_back(life),
            }[what]()


@settings(max_examples=80)
@given(
    st.dates(date(2026, 12, 1), date(2028, 12, 31)),
    st.lists(
        st.tuples(st.integers(0, 70), st.sampled_from(["pause", "pause_on", "resume", "cancel", "take_back"])),
        max_size=12,
    ),
)
def test_no_period_is_charged_twice_or_left_out_whatever_happens(day: date, steps: list[tuple[int, str]]) -> None:
    pretend = Pretend(day)
    for days, what in steps:
        pretend.wait(days)
        pretend.do(what)
    pretend.wait(100)
    numbers = [number for _, number, _ in pretend.told.charges]
    assert numbers == list(range(2, 2 + len(numbers))), "every period once, in order"
    charged = [one[0] for one in pretend.told.charges]
    assert all(later(before, 0, 27) < after for before, after in pairwise(charged)), "a month apart"
