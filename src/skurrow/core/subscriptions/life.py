"""The life of a subscription: what falls due and when, and what each thing that happens makes of it.

A life never changes: every step gives a new one. It knows no order, no gateway and no clock; whoever keeps it says what
happened and when. Days are those of the site's zone; what falls on a day falls due at its first instant, mails at nine
in the morning.

    trial ──► active ──► failing ──► ended           paused ◄──► active
                 └──────► completed (instalments)

The paid time goes from `since` to the day `until`, on which the next charge falls.
"""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Literal, NamedTuple
from zoneinfo import ZoneInfo

from pydantic import BaseModel, ConfigDict

from skurrow.core.bounds import coming
from skurrow.core.durations import first_instant, later
from skurrow.core.site.subscriptions import Subscriptions
from skurrow.core.subscriptions.plan_change import Credit, Span, credit_for, unused_share
from skurrow.core.subscriptions.terms import Terms

State = Literal["trial", "active", "failing", "paused", "ended", "completed"]
EndReason = Literal["cancelled", "unpaid", "at_once", "refunded"]
Task = Literal["resume", "trial_ends", "renewal_ahead", "card_expires", "end", "pause", "charge", "give_up"]

MAIL_AT = time(9)
_YEARLY = 12
"""Months from which on a rhythm counts as yearly or rarer."""


class Due(NamedTuple):
    """Something that falls due; `key` names a mail that is sent once."""

    at: datetime
    task: Task
    key: str = ""


class NotNow(Exception):
    """What was asked does not go with how the subscription stands; the message says why, and what to do first."""


class Life(BaseModel):
    """How a subscription stands. `next` is the number of its next charge by its terms, counted from `counted_from`;
    `period` numbers its charges over all its life, from 1.

    `paid` with `paid_tax` is what was paid for the present paid time, without delivery, and `balance` what the
    customer has left with the seller, in minor units. `charging`: a charge is under way. A charge that failed fell due
    on `failing_since` and was refused `tries` times. `following` are the terms from the next charge on. `told` has the
    keys of mails that went out. No charge is tried `not_before` an instant.
    """

    model_config = ConfigDict(frozen=True)

    state: State
    terms: Terms
    counted_from: date
    next: int
    period: int = 1
    since: datetime
    until: date
    paid: int = 0
    paid_tax: int = 0
    balance: int = 0
    charging: bool = False
    failing_since: date | None = None
    tries: int = 0
    ends_on: date | None = None
    ended_on: date | None = None
    end_reason: EndReason | None = None
    following: Terms | None = None
    pausing: bool = False
    resumes_on: date | None = None
    card_expires: str | None = None
    not_before: datetime | None = None
    told: tuple[str, ...] = ()

    @property
    def over(self) -> bool:
        """Whether nothing will ever be charged again, if nobody does anything."""
        return self.state in ("ended", "completed")

    @property
    def next_on(self) -> date | None:
        """The day of the next charge; None when there is none."""
        if self.over or self.state == "paused" or self.pausing:
            return None
        if self.ends_on is not None and self.ends_on <= self.until:
            return None
        return self.until

    @property
    def next_terms(self) -> Terms:
        """The terms of the next charge."""
        return self.following or self.terms

    def _with(self, **changes: object) -> Life:
        return self.model_copy(update=changes)


def begin(
    terms: Terms,
    day: date,
    at: datetime,
    paid: tuple[int, int] = (0, 0),
    card_expires: str | None = None,
    begun: bool = True,
) -> Life:
    """The life of what was ordered on a day, whose line was paid at once (with its tax) unless it begins with a trial.
    One that has not `begun`, like a member who is moved over, or what comes out later, is charged first on its day."""
    first = 0 if terms.free or not begun else 1
    until = terms.rhythm.day(day, first)
    assert until is not None
    state: State = "trial" if terms.free else "active"
    return Life(
        state=state,
        terms=terms,
        counted_from=day,
        next=first,
        period=1 + first,
        since=at,
        until=until,
        paid=paid[0],
        paid_tax=paid[1],
        card_expires=card_expires,
    )


# -- what falls due ---------------------------------------------------------------------------------------


def due(life: Life, rules: Subscriptions, zone: ZoneInfo) -> Due | None:
    """What falls due next; None while nothing does."""
    if life.over or life.charging:
        return None
    if life.state == "paused":
        if life.resumes_on is None:
            return None
        return Due(first_instant(life.resumes_on, zone), "resume")
    if life.state == "failing":
        return _due_failing(life, rules, zone)
    found = [*_mails(life, rules, zone), _due_on(life, zone)]
    return min(found, key=lambda one: (one.at, _RANK[one.task]))


_RANK: dict[str, int] = {"resume": 0, "trial_ends": 1, "renewal_ahead": 2, "card_expires": 3, "end": 4, "pause": 5}
_RANK |= {"charge": 6, "give_up": 7}


def _due_failing(life: Life, rules: Subscriptions, zone: ZoneInfo) -> Due:
    assert life.failing_since is not None
    over = first_instant(later(life.failing_since, 0, rules.grace), zone)
    if 0 < life.tries <= len(rules.retries):
        again = _not_before(life, first_instant(later(life.failing_since, 0, rules.retries[life.tries - 1]), zone))
        if again <= over:
            return Due(again, "charge")
    return Due(over, "give_up")


def _due_on(life: Life, zone: ZoneInfo) -> Due:
    """The end, the pause, or the next charge."""
    if life.ends_on is not None and life.ends_on <= life.until:
        return Due(first_instant(life.ends_on, zone), "end")
    at = first_instant(life.until, zone)
    return Due(at, "pause") if life.pausing else Due(_not_before(life, at), "charge")


def _not_before(life: Life, at: datetime) -> datetime:
    return at if life.not_before is None else max(at, life.not_before)


def _mails(life: Life, rules: Subscriptions, zone: ZoneInfo) -> list[Due]:
    """Mails ahead of the next charge, each once, unless their day was over before this paid time began."""
    found: list[Due] = []
    if life.next_on is None:
        return found
    if life.state == "trial" and rules.before_trial_ends is not None:
        found += _mail(life, zone, life.until, rules.before_trial_ends, "trial_ends", f"trial {life.until}")
    elif life.next_terms.length.months >= _YEARLY and rules.before_yearly is not None:
        found += _mail(life, zone, life.until, rules.before_yearly, "renewal_ahead", f"renewal {life.until}")
    if life.card_expires is not None and rules.before_card_expires is not None:
        last = last_day_of(life.card_expires)
        key = f"card {life.card_expires}"
        if last < later(life.until, 24, 0) and key not in life.told:
            at = datetime.combine(later(last, 0, -rules.before_card_expires), MAIL_AT, zone)
            found.append(Due(max(at, life.since), "card_expires", key))
    return found


def _mail(life: Life, zone: ZoneInfo, day: date, before: int, task: Task, key: str) -> list[Due]:
    at = datetime.combine(later(day, 0, -before), MAIL_AT, zone)
    return [Due(at, task, key)] if key not in life.told and at > life.since else []


def last_day_of(month: str) -> date:
    """The last day of a month written as "2027-03".

    >>> last_day_of("2028-02")
    datetime.date(2028, 2, 29)
    """
    return later(date.fromisoformat(f"{month}-01"), 1, 0) - timedelta(days=1)


# -- what happens -----------------------------------------------------------------------------------------


def told(life: Life, key: str) -> Life:
    """A mail went out."""
    return life._with(told=(*life.told, key)[-20:])


def charge(life: Life) -> Life:
    """The next charge is under way, reckoned from here on by the terms that were to follow, if there are."""
    if life.following is not None:
        life = life._with(terms=life.following, counted_from=life.until, next=0, following=None)
    return life._with(charging=True, not_before=None)


def not_done(life: Life) -> Life:
    """The charge under way, which was for a change and not for a period, was refused: everything stays as it was."""
    return life._with(charging=False)


def put_off(life: Life, until: datetime) -> Life:
    """The charge under way failed for a reason that is not the customer's: it is tried again later."""
    return life._with(charging=False, not_before=until)


def charged(life: Life, paid: tuple[int, int], zone: ZoneInfo, payments: int = 1, early: date | None = None) -> Life:
    """The charge under way was paid: of its line so much, with its tax. Several payments of a set may come at once,
    and `early`, on another day than the first of them falls due."""
    number, rhythm = life.next + payments, life.terms.rhythm
    fell_due = early or life.until
    until = rhythm.day(life.counted_from, number)
    done = life._with(
        next=number,
        period=life.period + 1,
        since=first_instant(fell_due, zone),
        paid=paid[0],
        paid_tax=paid[1],
        charging=False,
        failing_since=None,
        tries=0,
    )
    if until is None:
        return done._with(state="completed", ended_on=fell_due, pausing=False, ends_on=None)
    return done._with(state="active", until=until)


def with_balance(life: Life, balance: int) -> Life:
    """What the customer has left has changed."""
    return life._with(balance=balance)


def failed(life: Life) -> Life:
    """The charge under way was refused."""
    since = life.failing_since or life.until
    return life._with(state="failing", charging=False, failing_since=since, tries=life.tries + 1)


def given_up(life: Life, day: date) -> Life:
    """The time of grace is over."""
    return _ended(life, day, "unpaid")


def ended(life: Life, day: date) -> Life:
    """The day has come on which it was to end."""
    return _ended(life, day, "cancelled")


def paused(life: Life) -> Life:
    """The day has come from which on it pauses."""
    return life._with(state="paused", pausing=False, paid=0, paid_tax=0)


def resumed(life: Life, day: date) -> Life:
    """It goes on after a pause: charged on this day, from which its time is counted anew."""
    if life.state != "paused":
        raise NotNow("It is not paused.")
    terms = life.next_terms.counted_anew(0 if life.following is not None else life.next)
    return life._with(state="active", terms=terms, following=None, counted_from=day, next=0, until=day, resumes_on=None)


# -- what is asked ----------------------------------------------------------------------------------------


def cancel(life: Life) -> Life:
    """It is to end when the paid time does; one that fails or pauses has none left, and ends at once."""
    _refuse_over(life)
    _refuse_charging(life)
    if life.terms.kind == "instalments":
        raise NotNow("Instalments end by themselves with the last payment. They can be paid off early.")
    if life.state in ("failing", "paused"):
        return _ended(life, life.failing_since or life.until, "cancelled")
    return life._with(ends_on=life.until, pausing=False, resumes_on=None)


def cancel_at_once(life: Life, day: date) -> Life:
    """It ends now."""
    _refuse_over(life)
    _refuse_charging(life)
    return _ended(life, day, "at_once")


def given_back(life: Life, day: date) -> Life:
    """What it began with was given back: it ends now."""
    _refuse_over(life)
    _refuse_charging(life)
    return _ended(life, day, "refunded")


def take_back(life: Life) -> Life:
    """What was to happen when the paid time ends does not: no end, no pause, no step down."""
    _refuse_over(life)
    if life.ends_on is None and not life.pausing and life.following is None:
        raise NotNow("There is nothing to take back.")
    return life._with(ends_on=None, pausing=False, resumes_on=None, following=None)


def pause(life: Life, resumes_on: date | None) -> Life:
    """Nothing is charged from the end of the paid time until a day, or until it is resumed."""
    _refuse_over(life)
    _refuse_charging(life)
    if life.terms.kind == "instalments":
        raise NotNow("Instalments cannot be paused.")
    if life.ends_on is not None:
        raise NotNow("It is to end. Take that back first.")
    if life.state not in ("trial", "active"):
        raise NotNow("It is failing." if life.state == "failing" else "It is paused already.")
    if resumes_on is not None and resumes_on <= life.until:
        raise NotNow(f"The paid time goes on until {life.until}. Choose a later day to go on from.")
    if resumes_on is not None and not coming(resumes_on, life.until):
        raise NotNow("It can be paused for ten years at most. Choose an earlier day to go on from.")
    return life._with(pausing=True, resumes_on=resumes_on)


def follow(life: Life, terms: Terms) -> Life:
    """Other terms hold from the next charge on; in a trial they take the place of its own."""
    _refuse_changing(life)
    if life.state == "trial":
        return life._with(terms=terms, counted_from=life.until, next=0, following=None)
    return life._with(following=terms)


def changed(life: Life, terms: Terms, at: datetime, day: date, paid: tuple[int, int], balance: int) -> Life:
    """Other terms hold from now on, and their first charge was paid: counted anew from today."""
    until = terms.rhythm.day(day, 1)
    assert until is not None
    return life._with(
        state="active",
        terms=terms,
        counted_from=day,
        next=1,
        period=life.period + 1,
        since=at,
        until=until,
        paid=paid[0],
        paid_tax=paid[1],
        balance=balance,
        charging=False,
        following=None,
        ends_on=None,
        ended_on=None,
        end_reason=None,
        failing_since=None,
        tries=0,
    )


def check_changing(life: Life) -> None:
    """Raises NotNow where the plan, or how many, cannot be changed at present."""
    _refuse_changing(life)


def check_restarting(life: Life) -> None:
    """Raises NotNow where it cannot be started again."""
    if life.state != "ended" or life.terms.kind != "recurring":
        raise NotNow("Only a subscription that has ended can be started again.")


def remaining_payments(life: Life) -> int:
    """How many payments of the present set of instalments are still to be made."""
    rhythm = life.terms.rhythm
    if life.terms.kind != "instalments" or life.over:
        return 0
    first = rhythm.first_of_set(life.next)
    if first == life.next:  # the next set has not begun
        return 0
    return first + (rhythm.first_set if first == 0 else rhythm.payments) - life.next


def unused(life: Life, at: datetime, rules: Subscriptions, zone: ZoneInfo) -> Credit:
    """What the unused part of the paid time is worth, in minor units, with its tax."""
    if life.state != "active" or at >= first_instant(life.until, zone):
        return Credit(0, 0)
    span = Span(life.since, first_instant(life.until, zone), life.since.astimezone(zone).date(), life.until)
    share = unused_share(span, at, at.astimezone(zone).date(), rules.unused)
    return credit_for(life.paid, life.paid_tax, share)


# -- within -----------------------------------------------------------------------------------------------


def _ended(life: Life, day: date, reason: EndReason) -> Life:
    return life._with(
        state="ended", ended_on=day, end_reason=reason, ends_on=None, pausing=False, resumes_on=None, following=None
    )


def _refuse_over(life: Life) -> None:
    if life.over:
        raise NotNow("It is over." if life.state == "completed" else "It has ended.")


def _refuse_charging(life: Life) -> None:
    if life.charging:
        raise NotNow("A charge is under way. Try again when it is decided.")


def _refuse_changing(life: Life) -> None:
    _refuse_over(life)
    _refuse_charging(life)
    if life.terms.kind != "recurring":
        raise NotNow("Instalments cannot be changed.")
    if life.ends_on is not None:
        raise NotNow("It is to end. Take that back first.")
    if life.pausing or life.state == "paused":
        raise NotNow("It is paused, or about to be. Go on with it first.")
    if life.state == "failing":
        raise NotNow("The last charge is not paid. Pay it first.")
