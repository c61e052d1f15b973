"""Subscriptions at the desk: lists, one as a line in time, acting for a customer, what is to come; and the calendar."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Annotated, Literal
from uuid import UUID

from fastapi import Query
from pydantic import BaseModel

from skurrow.core.money import format_amount
from skurrow.service import calendars
from skurrow.service.subscriptions import subscription_books
from skurrow.service.subscriptions.standing import life_of
from skurrow.store.subscriptions.subscriptions import Sought
from skurrow.web.access import Means, Site
from skurrow.web.desk.bodies import ModeName
from skurrow.web.desk.subscriptions.subscription_views import SubscriptionSummary, SubscriptionView, summary, view
from skurrow.web.routes import desk_router

router = desk_router()


SubscriptionFilter = Literal["all", "running", "ending", "trial", "active", "failing", "paused", "ended", "completed"]


class SubscriptionList(BaseModel):
    """A page of one book; `counts` by state; `next` is the cursor of the following page."""

    subscriptions: list[SubscriptionSummary]
    counts: dict[str, int]
    next: UUID | None


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
    return await view(context, at.site_id, row)


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


def _moneys(sums: dict[str, int]) -> dict[str, str]:
    return {currency: format_amount(amount, currency) for currency, amount in sorted(sums.items())}
