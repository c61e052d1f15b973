"""What a customer has, turned into what they are shown."""

from __future__ import annotations

from urllib.parse import urlencode

from skurrow.core.money import format_amount
from skurrow.core.papers.paper import Paper
from skurrow.service.account import theirs
from skurrow.service.account.signing_in import Customer
from skurrow.service.changes import acting, agreeing, proposing
from skurrow.service.codes import KEY_LIFE, confirmation_key, confirmation_token
from skurrow.service.refusal_words import at_account
from skurrow.service.subscriptions import subscription_books
from skurrow.service.subscriptions.subscription_mail import plan_of
from skurrow.store.subscriptions.subscriptions import SubscriptionRow
from skurrow.web.access import Means
from skurrow.web.account.views import (
    AccountDone,
    MyAddress,
    MyParcelTo,
    MyPurchase,
    MySubscription,
    PaperLink,
    PromiseView,
    SentView,
)
from skurrow.web.counter.given import AddressGiven
from skurrow.web.counter.showing import form_view
from skurrow.web.desk.subscriptions.subscription_views import coming_view, plan_view, summary, unused_view

_BY_RULE = {"change": "change", "quantity": "quantity", "pause": "pause", "resume": "pause", "cancel": "cancel"}


# -- within -----------------------------------------------------------------------------------------------


def brand(name: str, url: str, colour: str) -> dict[str, str]:
    return {"site_name": name, "site_url": url, "colour": colour}


def done_view(done: acting.Done) -> AccountDone:
    message = None
    if done.state == "refused":
        message = at_account(done.reason)
    return AccountDone(state=done.state, message=message, approve_at=done.approve_at, key=done.key)


async def my_subscription(context: Means, who: Customer, row: SubscriptionRow) -> MySubscription:
    story = await subscription_books.story(context, who.site_id, row)
    life, currency = story.life, row.currency
    allowed = story.edition.site.subscriptions.customers_may
    may = [
        what
        for what, why_not in story.can.items()
        if why_not is None and (what not in _BY_RULE or _BY_RULE[what] in allowed) and what != "cancel_at_once"
    ]
    edition = story.served  # never the draft's, for live customers
    limits = edition.prices[row.price].price.at_counter if row.price in edition.prices else None
    link = context.signer.sign("renewal", {"s": str(who.site_id), "m": row.mode, "i": str(row.id)})
    waits = life.state == "failing" or life.charging
    test = {"test": "1"} if row.mode == "test" else {}
    base = f"/counter/api/account/{who.code}/subscriptions/{row.code}/paper.pdf"
    return MySubscription(
        **{
            name: value
            for name, value in summary(row, life).items()
            if name in MySubscription.model_fields and name not in ("may",)
        },
        plan=story.plan,
        ended_on=life.ended_on,
        paid_until=life.until,
        resumes_on=life.resumes_on,
        following=plan_of(edition, life.following.price) if life.following else None,
        balance=format_amount(life.balance, currency) if life.balance else None,
        charging=life.charging,
        card_ending=row.card_ending,
        card_expires=life.card_expires,
        coming=[coming_view(one, currency) for one in story.coming],
        plans=[plan_view(one) for one in await proposing.plans(context, who.site_id, row)],
        quantity_least=limits.min if limits else 1,
        quantity_most=limits.max if limits else life.terms.quantity,
        ends_when=life.terms.ends.when,
        gives_back=unused_view(await agreeing.would_give_back(context, who.site_id, row), currency)
        if life.terms.ends.unused == "given_back"
        else None,
        may=may,
        papers=[
            paper_link(paper, f"{base}?{urlencode({'number': paper.number, **test})}")
            for _, paper in await theirs.papers_of(context, who, row)
        ],
        renewal=f"/renewal/{link}" if waits else None,
    )


def my_purchase(context: Means, who: Customer, one: theirs.Purchase) -> MyPurchase:
    order = one.order
    page = f"/thanks/{confirmation_token(context, who.site_id, who.mode, order.id)}"
    key = confirmation_key(context, order.id, KEY_LIFE)
    return MyPurchase(
        code=order.code,
        on=one.on,
        what=order.kept.what,
        state=order.state,
        amount=format_amount(order.total, order.currency),
        given_back=format_amount(one.given_back, order.currency) if one.given_back else None,
        currency=order.currency,
        page=f"{page}#{key}",
        papers=[
            paper_link(paper, f"{page}/paper.pdf?{urlencode({'number': paper.number, 'key': key})}")
            for paper in one.papers
        ],
        sent=[SentView(on=on, follow=follow or None, names=names) for on, follow, names in one.sent],
        promises=[PromiseView(name=name, until=until) for name, until in one.promises],
    )


def paper_link(paper: Paper, pdf: str) -> PaperLink:
    return PaperLink(
        kind=paper.kind.replace("_", " "),
        number=paper.number,
        on=paper.issued_on,
        amount=paper.total,
        currency=paper.currency,
        pdf=pdf,
    )


def typed(given: AddressGiven) -> dict[str, str]:
    return {name: text.strip() for name, text in given.model_dump().items() if text and text.strip()}


def address_view(row: SubscriptionRow) -> MyAddress:
    buyer = row.kept_buyer
    to = buyer.deliver_to
    return MyAddress(
        name=buyer.name,
        country=buyer.country,
        address=buyer.address,
        deliver_to=to
        and MyParcelTo(
            name=to.get("name", ""),
            country=buyer.parcel_country,
            address={name: text for name, text in to.items() if name not in ("name", "country")},
            form=form_view(buyer.parcel_country),
        ),
        business=buyer.business,
        company=buyer.company,
        tax_number=buyer.tax_number,
        telephone=buyer.telephone,
        form=form_view(buyer.country),
    )
