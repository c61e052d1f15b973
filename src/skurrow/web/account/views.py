"""What the account page shows."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel

from skurrow.web.counter.views import AddressFormView, PayWayView
from skurrow.web.desk.subscriptions.changes import ChangeDone
from skurrow.web.desk.subscriptions.subscription_views import (
    ComingCharge,
    PlanChoice,
    SubscriptionState,
    UnusedView,
)


class PaperLink(BaseModel):
    """A receipt, an invoice or a credit note."""

    kind: str
    number: str
    on: date
    amount: str
    currency: str
    pdf: str


class MySubscription(BaseModel):
    """What a customer sees of a subscription of theirs; `may` says what they may do now."""

    code: str
    state: SubscriptionState
    what: str
    plan: str
    amount: str
    currency: str
    every: str
    quantity: int
    next_on: date | None
    ends_on: date | None
    ended_on: date | None
    paid_until: date
    pausing: bool
    resumes_on: date | None
    following: str | None
    balance: str | None
    charging: bool
    card_ending: str | None
    card_expires: str | None
    coming: list[ComingCharge]
    plans: list[PlanChoice]
    quantity_least: int
    quantity_most: int
    ends_when: Literal["paid_time", "at_once"]
    gives_back: UnusedView | None
    may: list[str]
    papers: list[PaperLink]
    renewal: str | None


class MyParcelTo(BaseModel):
    """Where parcels go that do not go to the buyer; the form of the country."""

    name: str
    country: str
    address: dict[str, str]
    form: AddressFormView


class MyAddress(BaseModel):
    """Whom papers are made out to, and where parcels go unless `deliver_to` says where; the form of the country.
    Whoever brings them may call the `telephone`, where one was asked for."""

    name: str
    country: str
    address: dict[str, str]
    deliver_to: MyParcelTo | None
    business: bool
    company: str | None
    tax_number: str | None
    telephone: str | None
    form: AddressFormView


class SentView(BaseModel):
    """A parcel that was sent, where it can be followed, and what is in it (nothing said: all)."""

    on: date
    follow: str | None
    names: list[str]


class PromiseView(BaseModel):
    """Until when something can be given back."""

    name: str
    until: date


class GiveBackView(BaseModel):
    """That it was received, under which code, and when."""

    code: str
    at: datetime


class MyPurchase(BaseModel):
    """What was bought once; `page` is its confirmation, with how to pay what waits for its money."""

    code: str
    on: date
    what: str
    state: str
    amount: str
    given_back: str | None
    currency: str
    page: str
    papers: list[PaperLink]
    sent: list[SentView]
    promises: list[PromiseView]


class MyAccount(BaseModel):
    """Everything on a customer's account page."""

    email: str
    has_password: bool
    subscriptions: list[MySubscription]
    purchases: list[MyPurchase]
    address: MyAddress | None
    pay: list[PayWayView]


class AccountDone(ChangeDone):
    """What came of it; `key` names a card that is kept once it is approved."""

    key: str | None = None


class RenewalView(BaseModel):
    """A charge that waits to be paid or approved."""

    state: Literal["approve", "pay", "paid", "over"]
    what: str
    amount: str
    currency: str
    approve_at: str | None
    charging: bool
    pay: list[PayWayView]
