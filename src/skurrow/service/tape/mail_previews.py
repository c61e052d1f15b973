"""A mail as it will arrive for a stand-in buyer, made from an invented sale of the draft; and sent for trial."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID

from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import parse_amount
from skurrow.core.papers.paper import PaperKind
from skurrow.core.papers.papers import kind_for
from skurrow.core.site.mails import ABOUT, said
from skurrow.core.subscriptions import life as core
from skurrow.core.subscriptions.life import Life
from skurrow.core.subscriptions.terms import Terms
from skurrow.gateway.registry import account_from
from skurrow.service import calendars, limits
from skurrow.service.context import Context
from skurrow.service.limits import TRIALS
from skurrow.service.mail import mail, mail_pictures
from skurrow.service.mail.letters import Letter, account_address, hello, sign_in
from skurrow.service.orders import order_mail
from skurrow.service.orders.order_mail import Told
from skurrow.service.orders.transfer_slips import to_whom
from skurrow.service.refusals import NotFound
from skurrow.service.subscriptions import subscription_mail
from skurrow.service.subscriptions.happenings import SAY_NEXT
from skurrow.service.tape.invented import CODE, ENDING, invented
from skurrow.service.tape.tapes import REAL, real_buyer
from skurrow.store.database import site_transaction
from skurrow.store.draft import sites
from skurrow.store.orders.orders import OrderRow
from skurrow.store.subscriptions.subscriptions import SubscriptionRow

_PAPERS: dict[PaperKind, str] = {"invoice": "Invoice", "receipt": "Receipt", "credit_note": "Credit note"}
_ON_TRIAL = (
    "This is a trial of a mail, about a sale that never was. What it says is attached comes with a real one, and its "
    "button leads to the account page."
)


@dataclass(frozen=True, slots=True)
class Preview:
    """A mail as it will arrive: who it comes from, where answers go, its page with its pictures in it, and what is
    attached. `things` is what the invented sale was of."""

    sender: str
    reply_to: str
    to: str
    subject: str
    text: str
    page: str
    attached: list[str]
    things: str


async def preview(context: Context, site_id: UUID, kind: str, buyer: str, language: str, price: str | None) -> Preview:
    """A mail of a kind as the draft would send it to a stand-in buyer, about a price if it can be about that. Raises
    NotFound where there is no such buyer, or nothing is sold that it could be about."""
    made = await _made(context, site_id, kind, buyer, language, price)
    letter, page = made.letter, made.letter.page
    for one in await mail_pictures.of(context, site_id, letter.pictures):
        page = page.replace(f'src="cid:{one.name}"', f'src="{one.as_address}"')
    sender, answers = mail.sender(made.edition), mail.answers_to(made.edition)
    attached = [_PAPERS[one] for one in made.attached]
    return Preview(sender, answers, made.to, letter.subject, letter.text, page, attached, made.things)


async def on_trial(
    context: Context, site_id: UUID, person: UUID, to: str, kind: str, buyer: str, language: str, price: str | None
) -> None:
    """Mails the same to a person of the desk. Raises NotFound, TooMany."""
    await limits.spend(context, (TRIALS, str(person)))
    made = await _made(context, site_id, kind, buyer, language, price, on_trial=True)
    letter = made.letter
    async with site_transaction(context.pool, site_id) as db:
        await mail.put_by(
            context, db, site_id, f"trial {context.new_id()}", to, f"[Trial] {letter.subject}", letter.text,
            letter.page, mail.sender(made.edition), None, (), None, mail.answers_to(made.edition), letter.pictures,
        )  # fmt: skip


# -- within -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Made:
    edition: Edition
    letter: Letter
    to: str
    attached: list[PaperKind]
    things: str


@dataclass(frozen=True, slots=True)
class _Sale:
    """The invented sale: its order, and where its buyer finds it."""

    edition: Edition
    order: OrderRow
    at: datetime
    account: str

    @property
    def today(self) -> date:
        return self.at.astimezone(self.edition.site.site.zone).date()


async def _made(
    context: Context, site_id: UUID, kind: str, buyer: str, language: str, price: str | None, on_trial: bool = False
) -> _Made:
    about = ABOUT.get(kind)
    if about is None:
        raise NotFound("there is no such mail")
    async with site_transaction(context.pool, site_id) as db:
        seen, site = await sites.glance(db, site_id), await sites.site(db, site_id)
        if seen is None or site is None:
            raise NotFound("there is no such site")
        at = calendars.moved(context, seen.ahead).book_now()
        edition = (await context.states.at(db, site_id, seen.head_change)).edition
    if on_trial:
        edition = _saying_so(edition, language)
    account = account_address(context, site.code, "test")
    who = real_buyer(edition) if buyer == REAL else edition.stand_in_buyers.get(buyer)
    if who is None:
        raise NotFound(f"there is no stand-in buyer {buyer}")
    if about.group == "account":
        letter = sign_in(edition, language, hello(language, who.person), account)
        return _Made(edition, letter, who.email, [], "")
    order = invented(edition, who, at, language, _fitting(edition, kind, price), context.new_id)
    sale = _Sale(edition, order, at, account)
    transfer = next((one for one in seen.connected if one["adapter"] == "transfer"), None)
    slip = None if transfer is None else to_whom(account_from(transfer["account"]).details, CODE)
    if about.group == "orders":
        told = _told(sale, kind, slip)
        letter = order_mail.letter_of(edition, order, kind, told, account, account)
        return _Made(edition, letter, who.email, [told.paper] if told.paper else [], order.kept.what)
    letter = _of_subscription(sale, kind)
    attached: list[PaperKind] = [kind_for(edition.site, order.buyer)] if kind in _WITH_PAPER and order.total else []
    return _Made(edition, letter, who.email, attached, order.kept.what)


_WITH_PAPER = frozenset({"begun", "charged", "paid_off", "changed", "restarted"})
_SET = frozenset({"completed", "paid_off"})
_TRIAL = frozenset({"trial_ends", "trial_ends_without_card"})


def _fitting(edition: Edition, kind: str, asked: str | None) -> Iterator[PricedProduct]:
    """What is sold that a mail could be about, what was asked for first. Raises NotFound where there is nothing."""
    group = ABOUT[kind].group

    def fits(priced: PricedProduct) -> bool:
        rhythm, price = priced.rhythm, priced.price
        if price.offered is False:
            return False
        if group == "orders":
            return price.kind != "free" and not rhythm.free
        if kind in _SET:
            return price.kind == "instalments"
        return rhythm.free if kind in _TRIAL else price.kind == "recurring"

    found = [one for one in edition.prices.values() if fits(one)]
    if group == "orders":  # mails of orders are mostly about what is paid once
        found.sort(key=lambda one: one.price.kind != "once")
    found.sort(key=lambda one: one.price.id != asked)
    if not found:
        words = {"orders": "for money", **dict.fromkeys(_SET, "in instalments"), **dict.fromkeys(_TRIAL, "on trial")}
        what = words.get(group if group == "orders" else kind, "by subscription")
        raise NotFound(f"nothing is sold {what} yet: until then this mail is not sent")
    return iter(found)


def _told(sale: _Sale, kind: str, slip: tuple[str, str, str] | None) -> Told:
    """What an order's mail tells beside the order."""
    paper: PaperKind | None = None
    if kind == "order_paid" and sale.order.total:
        paper = kind_for(sale.edition.site, sale.order.buyer)
    elif kind == "order_on_invoice":
        paper = "invoice"
    elif kind == "order_refunded":
        paper = "credit_note"
    has_day = "day" in ABOUT[kind].facts
    return Told(
        on=sale.today + timedelta(days=7) if has_day else None,
        reason="not_paid" if kind == "order_not_paid" else None,
        slip=slip if kind in ("order_to_transfer", "order_reminder") else None,
        paper=paper,
    )


def _of_subscription(sale: _Sale, kind: str) -> Letter:
    """The mail about what the order has begun."""
    edition, order = sale.edition, sale.order
    plan = order.kept.wanted.subscriptions[0]
    life = core.begin(Terms.model_validate(plan.terms), plan.counted_from, sale.at, begun=plan.begun)
    life = _as_told(life, kind, sale)
    coming = next(iter(order.kept.quote.later), None)
    total = parse_amount(coming.total, order.currency) if coming else order.total
    body: dict[str, Any] = {
        "minor": order.total if kind == "begun" else total,
        "order": order.code,
        "order_id": None,
        "reason": {"charge_failed": "no_funds", "not_changed": "no_funds"}.get(kind, "cancelled"),
        "plan": subscription_mail.plan_of(edition, _other(edition, life.terms)),
    }
    if kind == "ended":
        del body["minor"]
    row = SubscriptionRow(
        id=order.id,
        mode="test",
        code=CODE,
        order_id=order.id,
        change=0,
        release=None,
        checkout_id="",
        customer="",
        buyer=order.buyer,
        connection_id=None,
        sealed_on_file=None if kind == "trial_ends_without_card" else b"none",
        card_ending=ENDING,
        product=life.terms.product,
        price=life.terms.price,
        ladder=False,
        state=life.state,
        currency=order.currency,
        next_on=life.next_on,
        due_at=None,
        paid_order_id=None,
        supply={},
        life=life.model_dump(mode="json"),
        started_at=sale.at,
    )
    told = "trial_ends" if kind == "trial_ends_without_card" else kind
    following = (coming.on, total) if coming and told in SAY_NEXT else None
    return subscription_mail.letter_of(edition, row, told, body, following, sale.account, sale.account)


def _as_told(life: Life, kind: str, sale: _Sale) -> Life:
    """The life as it stands when such a mail goes out."""
    changes: dict[str, dict[str, Any]] = {
        "charge_failed": {"failing_since": life.until},
        "cancelled": {"ends_on": life.until},
        "card_expires": {"card_expires": f"{sale.today.year + 1}-01"},
    }
    return life.model_copy(update=changes.get(kind, {}))


def _other(edition: Edition, terms: Terms) -> str:
    """Another plan of the same product, where there is one."""
    product = edition.product(terms.product)
    names = [price.id for price in product.prices if price.kind == "recurring"] if product else []
    return next((name for name in names if name != terms.price), terms.price)


def _saying_so(edition: Edition, language: str) -> Edition:
    """The edition whose mails say that they are a trial."""
    mails = edition.site.mails
    foot = "\n\n".join(one for one in (said(mails.foot, language), _ON_TRIAL) if one)
    changed = mails.model_copy(update={"foot": foot})
    return replace(edition, site=edition.site.model_copy(update={"mails": changed}))
