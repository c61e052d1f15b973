"""Acting for a customer: another plan, an end, a pause."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import AfterValidator, AwareDatetime, BaseModel, Field

from skurrow.core.bounds import MOST_PIECES, printable
from skurrow.core.money import format_amount
from skurrow.service.changes import agreeing, proposing
from skurrow.service.changes.acting import Actor, Ending
from skurrow.service.changes.proposing import Proposal
from skurrow.service.changes.running import cancel, pause, resume, take_back
from skurrow.service.subscriptions import subscription_books
from skurrow.web.access import Means, Selling
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.desk.subscriptions.subscription_views import SubscriptionView, view
from skurrow.web.routes import desk_router

router = desk_router()


class ProposeRequest(Given):
    """A change to be shown: another plan, or how many; paying instalments off; or starting again."""

    kind: Literal["change", "restart", "pay_off"] = "change"
    price: Annotated[str, Field(max_length=60)] | None = None
    quantity: Annotated[int, Field(ge=1, le=MOST_PIECES)] | None = None


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
    shown_at: AwareDatetime | None = None
    reason: Annotated[str, Field(max_length=500), AfterValidator(printable)] = ""


class PauseRequest(Given):
    """Until when it pauses; without a day, until it is resumed."""

    resumes_on: date | None = None


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
    row = await cancel(context, at.site_id, row, by, Ending(body.reason, body.when, body.unused, body.shown_at))
    return await view(context, at.site_id, row)


@router.delete("/sites/{site}/books/{mode}/subscriptions/{subscription}/cancellation")
async def take_back_change(mode: ModeName, subscription: str, at: Selling, context: Means) -> SubscriptionView:
    """Takes back what was to happen when the paid time ends: the end, the pause, or the step down."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    row = await take_back(context, at.site_id, row, Actor(at.person.id))
    return await view(context, at.site_id, row)


@router.post("/sites/{site}/books/{mode}/subscriptions/{subscription}/pause")
async def pause_subscription(
    mode: ModeName, subscription: str, body: PauseRequest, at: Selling, context: Means
) -> SubscriptionView:
    """Pauses it when the paid time ends, for the customer."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    row = await pause(context, at.site_id, row, body.resumes_on, Actor(at.person.id))
    return await view(context, at.site_id, row)


@router.delete("/sites/{site}/books/{mode}/subscriptions/{subscription}/pause")
async def resume_subscription(mode: ModeName, subscription: str, at: Selling, context: Means) -> SubscriptionView:
    """Goes on with it after a pause, for the customer: it is charged at once."""
    row = await subscription_books.by_code(context, at.site_id, mode, subscription)
    row = await resume(context, at.site_id, row, Actor(at.person.id))
    return await view(context, at.site_id, row)


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
