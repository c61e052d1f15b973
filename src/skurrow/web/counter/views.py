"""What the counter shows, as its pages and its API have it."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel, Field


class CountryName(BaseModel):
    """A country, or a region of one, that can be chosen."""

    code: str
    name: str


class FilledView(BaseModel):
    """What is filled in beforehand for a stand-in buyer; `way` is the gateway that they choose."""

    email: str
    name: str
    country: str
    region: str | None
    postal_code: str | None
    tax_number: str | None
    way: str | None


class PictureView(BaseModel):
    """A picture by its address, and what it shows."""

    address: str
    text: str


class VariantView(BaseModel):
    """A variant that can be chosen; `left` says how many there are where that is counted and few."""

    id: str
    name: str
    sold_out: bool
    left: int | None
    picture: PictureView | None


class PriceView(BaseModel):
    """A price that can be chosen: what it is called, what it costs in a few words, and what has to be chosen about it.

    `suggested` is what is filled in where the buyer chooses the amount; `kind` is what is sold, and `sends` whether it
    can be sent; `about` is what the product says of itself, `saving` what it saves against others,
    `before` the lowest that it cost in the thirty days before it came down, if it did, and
    `refund_days` for how long it can be given back.
    """

    id: str
    product: str
    kind: str
    sends: bool
    label: str
    words: str
    text: str | None
    saving: str | None
    before: str | None
    about: str | None
    refund_days: int | None
    smallest: int
    largest: int
    suggested: str | None
    sold_out: bool
    left: int | None
    variants: list[VariantView]
    picture: PictureView | None


class AddressFieldView(BaseModel):
    """One field of an address; `choices` where it is one of a list."""

    name: str
    label: str
    required: bool
    autocomplete: str
    example: str | None
    choices: list[CountryName]


class AddressFormView(BaseModel):
    """How a country writes addresses, whether the postal code decides about tax, what a business's number is called
    where it matters, and the currency that is usual there."""

    country: str
    currency: str | None
    fields: list[AddressFieldView]
    place_by_postal_code: bool
    tax_number: str | None


class WindowView(BaseModel):
    """A payment method of the browser's own window, and what it is told."""

    method: str
    data: dict[str, str]


class PayWayView(BaseModel):
    """A way to pay: in the gateway's own `fields`, at its own site, or by the buyer in person. `waits`: the order waits
    for the money. `window`: the browser's own payment window can pay with it."""

    gateway: str
    label: str
    text: str
    kind: Literal["fields", "off_site", "person"]
    waits: bool
    fields_address: str | None
    origin: str | None
    window: WindowView | None


class ThingView(BaseModel):
    """So many of a price, in a variant; `chosen` is the amount of one, in `chosen_in`, where the buyer chooses it."""

    price: str
    quantity: int
    variant: str | None
    chosen: str | None
    chosen_in: str | None


class BasketView(BaseModel):
    """What lies in a basket and is sold here, how many things are sold elsewhere on the site, and in sentences what is
    not sold any more."""

    things: list[ThingView]
    elsewhere: int
    unsold: list[str]


class CounterView(BaseModel):
    """All that a checkout page shows but the amounts. `price` is chosen at first; `coupon` came with the link.

    `country` is where the buyer seems to be (`guessed`) or the seller's own, with its address form. `currencies` can be
    paid in, the first where nothing else is known; `chooser`: buyers may choose; `asked`: the link has chosen.
    `several`: as many things as the buyer likes, of those `listed` or, at the `everyday` checkout, in the `basket`;
    `brought` is what the link brings, in its place or, if it `adds`, beside it. This browser is a test buyer's until
    `tries_until`.
    """

    visit: str
    mode: Literal["test", "live"]
    site_name: str
    site_url: str
    colour: str
    heading: str
    text: str | None
    button: str
    country: str
    guessed: bool
    form: AddressFormView
    countries: list[CountryName]
    currency: str
    currencies: list[str]
    chooser: bool
    asked: bool
    prices: list[PriceView]
    price: str
    several: bool
    everyday: bool
    listed: list[str]
    basket: BasketView
    brought: list[ThingView] | None
    adds: bool
    coupons: bool
    coupon_words: str | None
    coupon: str | None
    pay: list[PayWayView]
    filled: FilledView | None = None
    tries_until: datetime | None = None


class QuoteLine(BaseModel):
    """One thing bought."""

    price: str
    name: str
    quantity: int
    unit: str
    subtotal: str
    discount: str
    total: str


class QuoteLater(BaseModel):
    """What is charged on a later day."""

    on: date
    prices: list[str]
    tax: str
    total: str


class QuoteDiscount(BaseModel):
    """What a discount takes off today; `coupon` is None for one that the thing itself brings along."""

    coupon: str | None
    name: str
    words: str
    amount: str


class QuoteTax(BaseModel):
    """One tax in the total, or an amount without tax."""

    place: str
    name: str
    rate: str
    treatment: str = "standard"
    base: str
    amount: str


class QuoteDelivery(BaseModel):
    """What is paid for delivery today; `amount` is its price as the owner wrote it."""

    name: str
    amount: str
    total: str


class WayView(BaseModel):
    """A way of delivery that can be chosen, what it costs, and whether a telephone number is asked for, or needed."""

    id: str
    name: str
    amount: str
    pick_up: bool
    telephone: Literal["asked", "needed"] | None = None


class NumberView(BaseModel):
    """What is known of a tax number."""

    state: Literal["malformed", "valid", "invalid", "no_answer"]
    words: str


class QuoteNote(BaseModel):
    """Something the buyer should know."""

    code: str
    text: str


class QuoteView(BaseModel):
    """What a buyer has to pay, as the core has computed it. `keeps`: what they pay with is kept, to be charged later.

    `untaxed_total` is the tax that came off because none is due. `ways` are the ways of delivery there are, `way` the
    one that is reckoned with; `pay_with` the gateways that take it;
    `region` follows from the postal code where it does; `seen_in` asks the buyer which
    country is right.
    """

    currency: str
    tax_included: bool = True
    lines: list[QuoteLine]
    delivery: QuoteDelivery | None = None
    untaxed_total: str | None = None
    ways: list[WayView] = []
    way: str | None = None
    number: NumberView | None = None
    needs_postal_code: bool = False
    region: str | None = None
    seen_in: CountryName | None = None
    taxes: list[QuoteTax]
    discounts: list[QuoteDiscount] = []
    discount_total: str
    due_today: str
    tax_total: str
    later: list[QuoteLater] = []
    plan: list[str] = []
    keeps: bool = False
    pay_with: list[str] = []
    notes: list[QuoteNote]


class ProgressView(BaseModel):
    """How far the order is; `message` is for the buyer, `confirmation` an address once it is paid or waits for its
    money, `approve_at` the page of the gateway where the buyer approves the charge first, leaving for it if it is
    `off_site`; `way` is the gateway."""

    state: Literal["none", "open", "pending", "refused", "waiting", "paid", "cancelled"]
    message: str | None = None
    confirmation: str | None = None
    paid_at: datetime | None = None
    approve_at: str | None = None
    off_site: bool = False
    way: str | None = None


class ConfirmedPaper(BaseModel):
    """A paper of a confirmed order; businesses are offered it for their bookkeeping programs, too."""

    kind: str
    number: str
    pdf: str
    ubl: str | None


class PersonalView(BaseModel):
    """What of a confirmation only its buyer sees; nothing to anybody else. Links to papers hold for a day."""

    name: str | None = None
    email: str | None = None
    papers: list[ConfirmedPaper] = Field(default_factory=list)


class InCurrency(BaseModel):
    """A visit in another currency: what changes of what the page shows."""

    visit: str
    currency: str
    prices: list[PriceView]


class Resumed(BaseModel):
    """A visit gone on with."""

    counter: CounterView
    progress: ProgressView


class InBasket(BaseModel):
    """A basket as it is now, and the prices that the page shows with it."""

    basket: BasketView
    prices: list[PriceView]
