"""Subscriptions at the desk: lists, one as a line in time, acting for a customer, what is to come; and the calendar."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Annotated, Any, Literal
from uuid import UUID
from zoneinfo import ZoneInfo

from fastapi import Query, status
from pydantic import AfterValidator, BaseModel, Field

from skurrow.core.bounds import printable
from skurrow.core.durations import duration_words, parse_duration
from skurrow.core.money import format_amount
from skurrow.core.problems import InvalidInput, Problem
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.members_csv import told
from skurrow.service import calendars
from skurrow.service.changes import agreeing, moving, proposing
from skurrow.service.changes.acting import Actor
from skurrow.service.changes.proposing import Proposal
from skurrow.service.changes.running import cancel, pause, resume, take_back
from skurrow.service.draft.configuration import draft
from skurrow.service.subscriptions import moving_over, subscription_books
from skurrow.service.subscriptions.standing import life_of
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.store.orders.attempts import AttemptRow
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions.subscriptions import Sought, SubscriptionRow
from skurrow.web.access import Configuring, Means, Selling, Site
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.routes import new_router

router = new_router()

SubscriptionState = Literal["trial", "active", "failing", "paused", "ended", "completed"]
SubscriptionFilter = Literal["all", "running", "ending", "trial", "active", "failing", "paused", "ended", "completed"]


class SubscriptionSummary(BaseModel):
    """A subscription in a list; `amount` is one regular charge, `every` how often in words."""

    code: str
    mode: ModeName
    state: SubscriptionState
    name: str
    email: str
    what: str
    price: str
    amount: str
    currency: str
    every: str
    quantity: int
    started_at: datetime
    next_on: date | None
    ends_on: date | None
    pausing: bool


class SubscriptionList(BaseModel):
    """A page of one book; `counts` by state; `next` is the cursor of the following page."""

    subscriptions: list[SubscriptionSummary]
    counts: dict[str, int]
    next: UUID | None


class SubscriptionAttempt(BaseModel):
    """One request to a gateway for a charge."""

    state: Literal["open", "paid", "refused"]
    reason: str | None
    opened_at: datetime


class SubscriptionCharge(BaseModel):
    """A charge that fell due: an order of its own. Days are those of the site's zone."""

    code: str
    kind: Literal["sale", "renewal", "change", "pay_off", "restart"]
    state: Literal["open", "waiting", "paid", "cancelled"]
    amount: str
    from_balance: str | None
    fell_due: datetime
    on: date
    paid_on: date | None
    attempts: list[SubscriptionAttempt]


class SubscriptionEvent(BaseModel):
    """Something that happened."""

    kind: str
    at: datetime
    on: date
    body: dict[str, Any]


class ComingCharge(BaseModel):
    """A charge to come."""

    on: date
    total: str
    tax: str
    from_balance: str | None


class PromisedCharge(BaseModel):
    """What the buyer was shown for a day, and what was charged then: `came` is its total, once it was paid."""

    on: date
    total: str
    came: str | None
    order: str | None
    kept: Literal["yes", "no", "to_come", "replaced"]


class PlanChoice(BaseModel):
    """A plan that can be changed to."""

    price: str
    name: str
    way: Literal["up", "down"]
    amount: str
    every: str


class SubscriptionView(SubscriptionSummary):
    """One subscription as a line in time; `can` says what may be done, each with why not."""

    order: str | None
    plan: str
    following: str | None
    balance: str | None
    paid_until: date
    failing_since: date | None
    tries: int
    resumes_on: date | None
    ended_on: date | None
    end_reason: str | None
    charging: bool
    card_ending: str | None
    card_expires: str | None
    charges: list[SubscriptionCharge]
    events: list[SubscriptionEvent]
    coming: list[ComingCharge]
    promised: list[PromisedCharge]
    plans: list[PlanChoice]
    quantity_least: int
    quantity_most: int
    ends_when: Literal["paid_time", "at_once"]
    today: date
    can: dict[str, str | None]


class ProposeRequest(Given):
    """A change to be shown: another plan, or how many; paying instalments off; or starting again."""

    kind: Literal["change", "restart", "pay_off"] = "change"
    price: Annotated[str, Field(max_length=60)] | None = None
    quantity: Annotated[int, Field(ge=1, le=9999)] | None = None


class ProposalView(BaseModel):
    """A change as it is shown, with the token to agree with."""

    kind: Literal["change", "restart", "pay_off"]
    plan: str
    quantity: int
    when: Literal["now", "paid_time_ends"]
    credit: str
    charge: str
    tax: str
    from_balance: str
    due: str
    balance: str
    next_on: date
    currency: str
    token: str


class AgreeRequest(Given):
    """The token of what was shown."""

    token: Annotated[str, Field(max_length=2000)]


class ChangeDone(BaseModel):
    """What came of it."""

    state: Literal["now", "later", "refused", "pending"]
    message: str | None = None
    approve_at: str | None = None


class CancelRequest(Given):
    """How it ends: as its price says, unless the desk says otherwise; a reason is never demanded."""

    when: Literal["paid_time", "at_once"] | None = None
    unused: Literal["kept", "given_back"] | None = None
    reason: Annotated[str, Field(max_length=500), AfterValidator(printable)] = ""


class PauseRequest(Given):
    """Until when it pauses; without a day, until it is resumed."""

    resumes_on: date | None = None


class MonthMoney(BaseModel):
    """What is expected in a month, by currency."""

    month: date
    amounts: dict[str, str]


class MonthChurn(BaseModel):
    """How many ran when a month began, began and ended in it; `share` is a percentage."""

    month: date
    before: int
    began: int
    ended: int
    share: str | None


class OutlookView(BaseModel):
    """What running subscriptions bring in: a month now, in the months to come; and how many leave."""

    running: int
    income: dict[str, str]
    expected: list[MonthMoney]
    churn: list[MonthChurn]


class CalendarView(BaseModel):
    """The calendar of the test book. While it is being moved: from when to when, and how far it has come."""

    at: datetime
    day: date
    by_clock: bool
    moving: bool
    began_from: datetime | None
    target: datetime | None
    done: int
    trouble: str | None
    next_at: datetime | None
    next_day: date | None


class CalendarRequest(Given):
    """How far the calendar is moved: on by something, to when something is due next, or to a day."""

    leap: Literal["day", "week", "month", "year", "next"] | None = None
    to: date | None = None


class MembersRequest(Given):
    """A CSV file of members that are moved over; in a `dry` run nothing is stored."""

    text: Annotated[str, Field(max_length=8_000_000)]
    dry: bool = True


class MemberRow(BaseModel):
    """What a row begins."""

    row: int
    email: str
    what: str


class MemberProblem(BaseModel):
    """What is wrong in a row and a column."""

    row: int
    column: str
    message: str
    remedy: str


class MembersView(BaseModel):
    """What a file would begin, or has begun (`done`)."""

    done: bool
    rows: list[MemberRow]
    problems: list[MemberProblem]


@router.get("/sites/{site}/books/{mode}/subscriptions")
async def list_subscriptions(
    mode: ModeName,
    at: Site,
    context: Means,
    before: UUID | None = None,
    search: Annotated[str, Query(max_length=200)] = "",
    show: SubscriptionFilter = "all",
    price: Annotated[str, Query(max_length=60)] = "",
    within: Annotated[int | None, Query(ge=0, le=4000)] = None,
) -> SubscriptionList:
    """A page of one book, the newest first; those in a state, of a price, or with a charge within so many days."""
    until = None
    if within is not None:
        until = (await calendars.of_site(context, at.site_id, mode)).book_now().date() + timedelta(days=within)
    sought = Sought(search.strip(), show, price, until)
    page = await subscription_books.page(context, at.site_id, mode, before, sought)
    return SubscriptionList(
        subscriptions=[SubscriptionSummary(**summary(row, life_of(row))) for row in page.subscriptions],
        counts=page.counts,
        next=page.next,
    )


@router.get("/sites/{site}/books/{mode}/subscriptions/{subscription}")
async def show_subscription(mode: ModeName, subscription: str, at: Site, context: Means) -> SubscriptionView:
    """One subscription as a line in time."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    return await _view(context, at.site_id, row)


@router.post("/sites/{site}/books/{mode}/subscriptions/{subscription}/proposal")
async def propose_change(
    mode: ModeName, subscription: str, body: ProposeRequest, at: Selling, context: Means
) -> ProposalView:
    """What a change would come to; nothing is done."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    found = await proposing.propose(context, at.site_id, row, body.price, body.quantity, body.kind)
    return proposal_view(found)


@router.post("/sites/{site}/books/{mode}/subscriptions/{subscription}/agree")
async def agree_to_change(
    mode: ModeName, subscription: str, body: AgreeRequest, at: Selling, context: Means
) -> ChangeDone:
    """Does what was shown, for the customer."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    done = await agreeing.agree(context, at.site_id, row, body.token, Actor(at.person.id))
    return ChangeDone(state=done.state, message=done.reason, approve_at=done.approve_at)


@router.post("/sites/{site}/books/{mode}/subscriptions/{subscription}/cancellation")
async def cancel_subscription(
    mode: ModeName, subscription: str, body: CancelRequest, at: Selling, context: Means
) -> SubscriptionView:
    """Ends it, for the customer."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    by = Actor(at.person.id)
    row = await cancel(context, at.site_id, row, by, body.reason, body.when, body.unused)
    return await _view(context, at.site_id, row)


@router.delete("/sites/{site}/books/{mode}/subscriptions/{subscription}/cancellation")
async def take_back_change(mode: ModeName, subscription: str, at: Selling, context: Means) -> SubscriptionView:
    """Takes back what was to happen when the paid time ends: the end, the pause, or the step down."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    row = await take_back(context, at.site_id, row, Actor(at.person.id))
    return await _view(context, at.site_id, row)


@router.post("/sites/{site}/books/{mode}/subscriptions/{subscription}/pause")
async def pause_subscription(
    mode: ModeName, subscription: str, body: PauseRequest, at: Selling, context: Means
) -> SubscriptionView:
    """Pauses it when the paid time ends, for the customer."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    row = await pause(context, at.site_id, row, body.resumes_on, Actor(at.person.id))
    return await _view(context, at.site_id, row)


@router.delete("/sites/{site}/books/{mode}/subscriptions/{subscription}/pause")
async def resume_subscription(mode: ModeName, subscription: str, at: Selling, context: Means) -> SubscriptionView:
    """Goes on with it after a pause, for the customer: it is charged at once."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    row = await resume(context, at.site_id, row, Actor(at.person.id))
    return await _view(context, at.site_id, row)


@router.get("/sites/{site}/books/{mode}/outlook")
async def show_outlook(mode: ModeName, at: Site, context: Means) -> OutlookView:
    """What running subscriptions are expected to bring in, recurring income, and churn."""
    found = await subscription_books.foresee(context, at.site_id, mode)
    return OutlookView(
        running=found.outlook.counted,
        income=_moneys(found.outlook.income),
        expected=[
            MonthMoney(month=month, amounts=_moneys(found.outlook.expected.get(month, {}))) for month in found.months
        ],
        churn=[
            MonthChurn(month=one.month, before=one.before, began=one.began, ended=one.ended, share=one.share)
            for one in found.churn
        ],
    )


@router.post("/sites/{site}/books/{mode}/members.csv")
async def move_members_over(mode: ModeName, body: MembersRequest, at: Configuring, context: Means) -> MembersView:
    """Shows what a CSV file of members would begin, row by row; or begins it, all or nothing."""
    found = await moving_over.move_over(context, at.site_id, mode, body.text, at.person.id, body.dry)
    return MembersView(
        done=found.done,
        rows=[MemberRow(row=one.row, email=one.cells["email"], what=told(one)) for one in found.members],
        problems=[
            MemberProblem(row=one.row, column=one.column, message=one.message, remedy=one.remedy)
            for one in found.problems
        ],
    )


@router.get("/sites/{site}/calendar")
async def show_calendar(at: Site, context: Means) -> CalendarView:
    """What the calendar of the test book says."""
    return await _calendar(context, at.site_id)


@router.post("/sites/{site}/calendar", status_code=status.HTTP_202_ACCEPTED)
async def move_calendar(body: CalendarRequest, at: Configuring, context: Means) -> CalendarView:
    """Begins to move it; everything that falls due on the way is done, at its own time."""
    to = None
    if body.to is not None:
        zone = (await draft(context, at.site_id)).edition.site.site.zone
        to = datetime.combine(body.to, time(12), zone)
    if (to is None) == (body.leap is None):
        message = "Say either by how much, or to which day"
        raise InvalidInput([Problem(("leap",), message, "Choose one of them", "missing")])
    await moving.move(context, at.site_id, at.person.id, body.leap, to)
    return await _calendar(context, at.site_id)


@router.delete("/sites/{site}/calendar")
async def stop_calendar(at: Configuring, context: Means) -> CalendarView:
    """Leaves it where it has come to."""
    await moving.stop(context, at.site_id)
    return await _calendar(context, at.site_id)


# -- within -----------------------------------------------------------------------------------------------


async def _calendar(context: Means, site_id: UUID) -> CalendarView:
    found = await moving.shown(context, site_id)
    zone = (await draft(context, site_id)).edition.site.site.zone
    return CalendarView(
        at=found.at,
        day=found.at.astimezone(zone).date(),
        by_clock=found.by_clock,
        moving=found.moving,
        began_from=found.began_from,
        target=found.target,
        done=found.done,
        trouble=found.trouble,
        next_at=found.next_at,
        next_day=found.next_at.astimezone(zone).date() if found.next_at else None,
    )


def summary(row: SubscriptionRow, life: Life) -> dict[str, Any]:
    """A subscription as lists show it."""
    terms = life.terms
    return {
        "code": row.code,
        "mode": row.mode,
        "state": row.state,
        "name": row.buyer["name"],
        "email": row.buyer["email"],
        "what": terms.name,
        "price": terms.price,
        "amount": format_amount(terms.unit * terms.quantity, terms.currency),
        "currency": terms.currency,
        "every": duration_words(parse_duration(terms.every)),
        "quantity": terms.quantity,
        "started_at": row.started_at,
        "next_on": life.next_on,
        "ends_on": life.ends_on,
        "pausing": life.pausing,
    }


async def _view(context: Means, site_id: UUID, row: SubscriptionRow) -> SubscriptionView:
    found = await subscription_books.story(context, site_id, row)
    life, currency = found.life, row.currency
    edition, zone = found.edition, found.edition.site.site.zone
    limits = edition.prices[row.price].price.at_counter if row.price in edition.prices else None
    first = next((one for one in found.orders if one.kind == "sale"), None)
    return SubscriptionView(
        **summary(row, life),
        order=first and first.code,
        plan=found.plan,
        following=plan_of(edition, life.following.price) if life.following else None,
        balance=format_amount(life.balance, currency) if life.balance else None,
        paid_until=life.until,
        failing_since=life.failing_since,
        tries=life.tries,
        resumes_on=life.resumes_on,
        ended_on=life.ended_on,
        end_reason=life.end_reason,
        charging=life.charging,
        card_ending=row.card_ending,
        card_expires=life.card_expires,
        charges=[_charge(one, found.attempts[one.id], zone) for one in found.orders],
        events=[
            SubscriptionEvent(kind=one.kind, at=one.at, on=one.at.astimezone(zone).date(), body=_told(one.body))
            for one in found.events
        ],
        coming=[coming_view(one, currency) for one in found.coming],
        promised=[_promised(one, found.today, currency) for one in found.promised],
        plans=[plan_view(one) for one in await proposing.plans(context, site_id, row)],
        quantity_least=limits.min if limits else 1,
        quantity_most=limits.max if limits else life.terms.quantity,
        ends_when=life.terms.ends.when,
        today=found.today,
        can=found.can,
    )


def coming_view(one: subscription_books.Coming, currency: str) -> ComingCharge:
    """A charge to come."""
    return ComingCharge(
        on=one.on,
        total=format_amount(one.total, currency),
        tax=format_amount(one.tax, currency),
        from_balance=format_amount(one.from_balance, currency) if one.from_balance else None,
    )


def plan_view(one: proposing.Plan) -> PlanChoice:
    """A plan that can be changed to."""
    every = duration_words(parse_duration(one.every))
    return PlanChoice(price=one.price, name=one.name, way=one.way, amount=one.amount, every=every)


_SECRET = frozenset({"person"})


def _told(body: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in body.items() if name not in _SECRET}


def _charge(order: OrderRow, attempts: list[AttemptRow], zone: ZoneInfo) -> SubscriptionCharge:
    return SubscriptionCharge(
        code=order.code,
        kind=order.kind,
        state=order.state,
        amount=format_amount(order.total, order.currency),
        from_balance=format_amount(order.from_balance, order.currency) if order.from_balance else None,
        fell_due=order.created_at,
        on=order.created_at.astimezone(zone).date(),
        paid_on=order.paid_at.astimezone(zone).date() if order.paid_at else None,
        attempts=[SubscriptionAttempt(state=one.state, reason=one.reason, opened_at=one.opened_at) for one in attempts],
    )


def _promised(one: subscription_books.Promised, today: date, currency: str) -> PromisedCharge:
    came = one.came
    paid = came is not None and came.state == "paid"
    charged = came.total + came.from_balance if came is not None else 0
    kept: Literal["yes", "no", "to_come", "replaced"] = "replaced" if one.replaced else "to_come"
    if paid and charged == one.total:
        kept = "yes"
    elif one.on <= today and not one.replaced:
        kept = "no"
    return PromisedCharge(
        on=one.on,
        total=format_amount(one.total, currency),
        came=format_amount(charged, currency) if paid else None,
        order=came.code if came is not None else None,
        kept=kept,
    )


def proposal_view(found: Proposal) -> ProposalView:
    """A change as it is shown."""
    step, currency = found.step, found.currency
    return ProposalView(
        kind=found.kind,
        plan=found.plan,
        quantity=found.quantity,
        when=step.when,
        credit=format_amount(step.credit.amount, currency),
        charge=format_amount(step.charge, currency),
        tax=format_amount(step.charge_tax, currency),
        from_balance=format_amount(found.from_balance, currency),
        due=format_amount(found.due, currency),
        balance=format_amount(found.balance, currency),
        next_on=step.next_on,
        currency=currency,
        token=found.token,
    )


def _moneys(sums: dict[str, int]) -> dict[str, str]:
    return {currency: format_amount(amount, currency) for currency, amount in sorted(sums.items())}
