"""The site model: everything a developer configures for one site, as the site file writes it.

The shape is the contract of `skurrow-site/1`. Names that the contract has and this version cannot compute
yet are refused by `skurrow.core.check.site`, never ignored. Amounts are texts here ("48.00"); `skurrow.core.edition`
turns a checked site into whole minor units.
"""

from __future__ import annotations

import re
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Annotated, Literal
from urllib.parse import quote, unquote, urlsplit
from zoneinfo import ZoneInfo, available_timezones

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainValidator,
    StringConstraints,
    WithJsonSchema,
)
from pydantic_core import Url

from skurrow.core.bounds import FIRST_DAY, LAST_DAY, day, one_line, printable
from skurrow.core.countries import COUNTRIES
from skurrow.core.durations import parse_duration
from skurrow.core.money import MINOR_UNITS
from skurrow.core.rhythm import PriceKind


class Frozen(BaseModel):
    """A part of the configuration: immutable, with no names that we do not know."""

    model_config = ConfigDict(frozen=True, extra="forbid", strict=True)


def _decimal(value: object) -> object:
    if isinstance(value, Decimal) or not isinstance(value, str):
        return value
    if not value.isascii() or not value.replace(".", "", 1).isdigit():
        raise ValueError('is no plain decimal number; write digits in quotes, as in "0.86"')
    if len(value) > 24:
        raise ValueError("has more digits than anybody reckons with; write at most 24")
    return Decimal(value)


def _text_decimal(value: object) -> object:
    if isinstance(value, float | int) and not isinstance(value, bool):
        raise ValueError(f'must be exact; put it in quotes, as in "{value}"')
    return _decimal(value)


def _country(value: str) -> str:
    if value not in COUNTRIES:
        raise ValueError(f'"{value}" is no country; write two capital letters of ISO 3166-1, as in NL')
    return value


def _currency(value: str) -> str:
    if value not in MINOR_UNITS:
        raise ValueError(f'"{value}" is no currency; write three capital letters of ISO 4217, as in EUR')
    return value


def _time_zone(value: str) -> str:
    if value not in available_timezones():
        raise ValueError(f'"{value}" is no time zone; write one of the IANA list, as in Europe/Amsterdam')
    return value


_HOST = re.compile(r"[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*\.?|\[[0-9a-f:.]+\]")


def _web_address(value: str) -> str:
    """The address put together anew from what it consists of, so that nothing else can travel with it: it stands in
    headers that say what a browser may do."""
    try:
        url = Url(value)
    except ValueError:
        url = None
    if url is None or url.scheme not in {"http", "https"} or not _HOST.fullmatch(url.host or ""):
        raise ValueError(f'"{value[:200]}" is no web address; write it in full, as in https://example.org')
    if url.username or url.password or url.fragment:
        raise ValueError("holds more than an address; leave out names, passwords and what follows #")
    port = "" if url.port in (None, {"http": 80, "https": 443}[url.scheme]) else f":{url.port}"
    path = quote(unquote("" if url.path in (None, "/") else str(url.path)), safe="/-._~!$&'()*+,=:@")
    query = f"?{quote(unquote(url.query), safe='/-._~!$&()*+,=:@?')}" if url.query else ""
    return f"{url.scheme}://{url.host}{port}{path}{query}"


def origin_of(address: str) -> str:
    """Scheme, host and port of a web address, as a browser compares them."""
    parts = urlsplit(address)
    return f"{parts.scheme}://{parts.netloc}"


def _iso_date(value: object) -> object:
    if isinstance(value, str):
        found = day(value)
        if found is None:
            years = f"between {FIRST_DAY.year} and {LAST_DAY.year}"
            raise ValueError(f'"{value[:40]}" is no date {years}; write it as in 2026-01-31')
        return found
    return value


def _email(value: str) -> str:
    name, _, host = value.strip().rpartition("@")
    if not name or "." not in host or any(character.isspace() for character in value.strip()) or len(value) > 254:
        raise ValueError(f'"{value}" is no email address; write it as in name@example.org')
    return value.strip()


def _duration(value: str) -> str:
    parse_duration(value)
    return value


def _renewals(value: object) -> object:
    if value == "all" or (isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= 1200):
        return value
    raise ValueError("is no number of charges; write 1 to 1200 without quotes, or all")


Code = Annotated[str, StringConstraints(pattern=r"^(?P<code>[a-z0-9]+(-[a-z0-9]+)*)$", min_length=1, max_length=60)]
Country = Annotated[
    str, AfterValidator(_country), WithJsonSchema({"type": "string", "format": "country"}, mode="validation")
]
CurrencyCode = Annotated[
    str, AfterValidator(_currency), WithJsonSchema({"type": "string", "format": "currency"}, mode="validation")
]
Place = Annotated[str, StringConstraints(pattern=r"^(?P<place>[A-Z]{2}(-[A-Z0-9]{1,3})?)$")]
Rate = Annotated[
    Decimal, BeforeValidator(_text_decimal), WithJsonSchema({"type": "string", "pattern": r"^[0-9]+(\.[0-9]+)?$"})
]
AmountText = Annotated[
    str, StringConstraints(pattern=r"^(?P<amount>(0|[1-9][0-9]{0,12})(\.[0-9]{1,4})?)$", max_length=20)
]
Amounts = Annotated[dict[CurrencyCode, AmountText], Field(min_length=1)]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120), AfterValidator(one_line)]
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=2000), AfterValidator(printable)]
Colour = Annotated[str, StringConstraints(pattern=r"^(?P<colour>#[0-9A-Fa-f]{6})$")]
WebAddress = Annotated[str, AfterValidator(_web_address)]
Day = Annotated[date, BeforeValidator(_iso_date), WithJsonSchema({"type": "string", "format": "date"})]
DurationText = Annotated[
    str,
    AfterValidator(_duration),
    WithJsonSchema({"type": "string", "pattern": r"^P(?=[0-9])([0-9]+Y)?([0-9]+M)?([0-9]+W)?([0-9]+D)?$"}),
]
Email = Annotated[str, AfterValidator(_email)]
CouponCode = Annotated[str, StringConstraints(pattern=r"^(?P<coupon>[A-Za-z0-9]+([-_][A-Za-z0-9]+)*)$", max_length=40)]
PictureName = Annotated[
    str, StringConstraints(pattern=r"^(?P<picture>[a-z0-9]+(-[a-z0-9]+)*\.(png|jpg|webp))$", max_length=80)
]
Renewals = Annotated[
    int | Literal["all"],
    PlainValidator(_renewals),
    WithJsonSchema({"anyOf": [{"type": "integer", "minimum": 1, "maximum": 1200}, {"const": "all"}]}),
]
Count = Annotated[int, Field(ge=1, le=1_000_000_000)]
Stock = Annotated[int, Field(ge=0, le=1_000_000_000)]


CardBehaviour = Literal[
    "approved",
    "elsewhere",
    "no_funds",
    "lost",
    "expired",
    "slow",
    "no_answer",
    "cut",
    "no_refund",
    "approval",
    "disputed",
    "fails_once",
    "fails_later",
    "approval_later",
]
"""How a stand-in buyer's card behaves."""


class Site(Frozen):
    """Who sells, and from which website; `colour` is the brand's, used at the counter."""

    name: Name
    url: WebAddress
    country: Country
    time_zone: Annotated[str, AfterValidator(_time_zone)]
    colour: Colour = "#2F4858"

    @property
    def zone(self) -> ZoneInfo:
        """The zone in which billing dates are reckoned."""
        return ZoneInfo(self.time_zone)


class Currency(Frozen):
    """A currency that is sold in; all but the first (the base) may carry how amounts are converted to it.

    `tax_included` says whether its amounts include tax, where that differs from the site's.
    """

    code: CurrencyCode
    tax_included: bool | None = None
    rate: Rate | None = None
    round_to: Rate | None = None
    less: Rate = Decimal(0)


class Registration(Frozen):
    """Where the seller is registered for tax, at a place or under a scheme; `from` and `until` include their days.

    `number` is the tax number there, as papers name it.
    """

    place: Place | None = None
    scheme: Literal["EU-OSS"] | None = None
    number: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(one_line)]
        | None
    ) = None
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None


class OwnRate(Frozen):
    """The owner's own rate for a place and a row of the tax tables, instead of the shipped one.

    Of those with a `postal_prefix` the longest that fits counts; it is the combined rate there.
    """

    place: Place
    postal_prefix: Annotated[str, StringConstraints(pattern=r"^(?P<prefix>[A-Za-z0-9]{1,10})$")] | None = None
    counts_as: Code = "standard"
    name: Name
    rate: Rate


class Exempt(Frozen):
    """A small business that charges no tax, and the sentence that its papers bear for it."""

    sentence: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=300), AfterValidator(one_line)
    ]


class Tax(Frozen):
    """How tax is handled. `included`: amounts include it. `when_untaxed`: what becomes of an included amount where no
    tax is due. `rounding`: each line by itself, or the sum of each rate. `business_proof`: what a tax number needs to
    count."""

    included: bool = True
    exempt: Exempt | None = None
    when_untaxed: Literal["deduct", "keep"] = "deduct"
    rounding: Literal["line", "rate"] = "line"
    business_proof: Literal["confirmed", "well_formed"] = "confirmed"
    registrations: list[Registration] = Field(default_factory=list)
    rates: list[OwnRate] = Field(default_factory=list)


Series = Annotated[
    str, StringConstraints(pattern=r"^(?P<series>[A-Za-z0-9/._-]{0,16}(\{year\})?[A-Za-z0-9/._-]{0,8})$", min_length=1)
]
"""How the numbers of a kind of paper begin; with `{year}` they begin anew every year."""


class Papers(Frozen):
    """Who invoices and receipts name as the seller, what stands at their foot, and how they are numbered.

    `name` is the registered one, where it is not the site's. `consumers` says what a sale to a consumer is documented
    by; a business always gets an invoice.
    """

    name: Name | None = None
    street: Name | None = None
    postal_code: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=12), AfterValidator(one_line)]
        | None
    ) = None
    city: Name | None = None
    region: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(one_line)]
        | None
    ) = None
    email: Email | None = None
    text: Annotated[str, StringConstraints(strip_whitespace=True, max_length=500), AfterValidator(printable)] = ""
    consumers: Literal["receipt", "invoice"] = "receipt"
    invoices: Series = "I-{year}-"
    receipts: Series = "R-{year}-"
    credit_notes: Series = "C-{year}-"


class WayToPay(Frozen):
    """A connected gateway as it is offered at the counter, in the order of their list.

    Only to buyers in `countries`, for `currencies`, and for amounts from `minimum` up to `maximum`, where these are
    given. What is paid by people is to be paid within so many `days`, and holds stock and coupons for `hold_days` of
    them: after that others can have them.
    """

    gateway: Code
    label: (
        Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60), AfterValidator(one_line)]
        | None
    ) = None
    text: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200), AfterValidator(printable)] = ""
    countries: Annotated[list[Country], Field(min_length=1, max_length=250)] | None = None
    currencies: Annotated[list[CurrencyCode], Field(min_length=1, max_length=50)] | None = None
    minimum: Amounts | None = None
    maximum: Amounts | None = None
    days: Annotated[int, Field(ge=1, le=365)] | None = None
    hold_days: Annotated[int, Field(ge=1, le=365)] | None = None


class Guard(Frozen):
    """A limit against fraud. It fits an order `above` an amount, one with more than so many `tries` before it (`by`
    the same card, address or buyer within so many `hours`), or one with a card of `another_country` than the buyer's;
    `then` it is refused, or paid and held for a person."""

    above: Amounts | None = None
    tries: Annotated[int, Field(ge=1, le=1000)] | None = None
    by: Literal["card", "address", "buyer"] | None = None
    hours: Annotated[int, Field(ge=1, le=720)] | None = None
    another_country: bool = False
    then: Literal["hold", "refuse"] = "hold"


class Payments(Frozen):
    """How buyers may pay. Without `ways` every connected gateway is offered as it is."""

    ways: Annotated[list[WayToPay], Field(max_length=20)] = Field(default_factory=list)
    guards: Annotated[list[Guard], Field(max_length=20)] = Field(default_factory=list)


CustomerMay = Literal["change", "quantity", "pause", "cancel"]


class Subscriptions(Frozen):
    """How subscriptions are looked after.

    A charge that fails is tried again so many days after it fell due (`retries`); the service goes on for `grace`
    days, then it ends. Mails come so many days before a trial ends, before a renewal that comes once a year or less
    often, and before the end of the month in which a card expires (None: never). `unused` says how unused time is
    measured: by the second, or in whole days with the day of the change used. `customers_may` is what customers may do
    by themselves.
    """

    retries: Annotated[list[Annotated[int, Field(ge=1, le=90)]], Field(max_length=10)] = Field(
        default_factory=lambda: [3, 7, 12]
    )
    grace: Annotated[int, Field(ge=0, le=120)] = 14
    before_trial_ends: Annotated[int, Field(ge=1, le=60)] | None = 3
    before_yearly: Annotated[int, Field(ge=1, le=90)] | None = 14
    before_card_expires: Annotated[int, Field(ge=1, le=60)] | None = 20
    unused: Literal["seconds", "days"] = "seconds"
    customers_may: list[CustomerMay] = ["change", "quantity", "pause", "cancel"]


class WeightStep(Frozen):
    """What a parcel of up to so many grams costs."""

    up_to_g: Annotated[int, Field(ge=1, le=100_000_000)]
    amount: Amounts


class ValueStep(Frozen):
    """What a parcel costs whose goods are worth up to so much; the last step may be without end."""

    up_to: Amounts | None = None
    amount: Amounts


class Method(Frozen):
    """One way of delivery: at one `amount`, by weight or by the value of the goods, and `each` for every piece.

    Free from a value of goods on, if `free_from` says so. With `pick_up` nothing is sent and nothing is charged.
    """

    id: Code
    name: Name
    amount: Amounts | None = None
    each: Amounts | None = None
    by_weight: Annotated[list[WeightStep], Field(max_length=50)] = Field(default_factory=list)
    by_value: Annotated[list[ValueStep], Field(max_length=50)] = Field(default_factory=list)
    free_from: Amounts | None = None
    pick_up: bool = False


ZonePlace = Annotated[
    str, StringConstraints(pattern=r"^(?P<zone_place>\*|[A-Z]{2}(-[A-Z0-9]{1,3}| [A-Z0-9][A-Z0-9 -]{0,9})?)$")
]
"""Anywhere (`*`), a country (`NL`), a region (`US-NY`), or a country and how its postal codes begin (`DE 27`)."""


class Zone(Frozen):
    """Places to which parcels go alike."""

    name: Name
    places: Annotated[list[ZonePlace], Field(min_length=1, max_length=400)]
    methods: Annotated[list[Method], Field(max_length=20)] = Field(default_factory=list)


class Delivery(Frozen):
    """How goods are sent. The most specific place counts (postal prefix, region, country, `*`), then file order."""

    zones: Annotated[list[Zone], Field(max_length=200)] = Field(default_factory=list)


class Quantity(Frozen):
    """How many of a price one order may hold."""

    min: Annotated[int, Field(ge=1, le=9999)] = 1
    max: Annotated[int, Field(ge=1, le=9999)] = 1


class Start(Frozen):
    """What comes before the regular rhythm: a free trial, or a different first payment, `times` over.

    A free trial takes a card when it is ordered, or `later`, before it ends.
    """

    free: DurationText | None = None
    amount: Amounts | None = None
    for_: DurationText | None = Field(default=None, alias="for")
    times: Annotated[int, Field(ge=1, le=120)] = 1
    card: Literal["at_order", "later"] = "at_order"


class Ends(Frozen):
    """How a subscription ends that is cancelled: when the paid time does, or `at_once`; then the unused part of what
    was paid is kept or given back."""

    when: Literal["paid_time", "at_once"] = "paid_time"
    unused: Literal["kept", "given_back"] = "kept"


class Chosen(Frozen):
    """An amount that the buyer chooses, from `minimum` up to `maximum`; `suggested` is filled in at first."""

    minimum: Amounts
    maximum: Amounts | None = None
    suggested: Amounts | None = None


class Price(Frozen):
    """One way to pay for a product. `label` and `text` are for buyers.

    `amount` is of one charge: of each payment, for instalments. A price that is not `offered` is kept for those who
    have it; one with `for` is sold to those customers only. Without `quantity` the counter sells one. `ends` says how
    it ends when it is cancelled: without it, when the paid time does.
    """

    id: Code
    kind: PriceKind
    amount: Amounts | None = None
    chosen: Chosen | None = None
    every: DurationText | None = None
    payments: Annotated[int, Field(ge=1, le=360)] | None = None
    again: DurationText | None = None
    start: Start | None = None
    label: Name | None = None
    text: Text | None = None
    quantity: Quantity | None = None
    default: bool = False
    offered: bool = True
    ends: Ends | None = None
    for_: Annotated[list[Email], Field(min_length=1, max_length=10_000)] | None = Field(default=None, alias="for")

    @property
    def at_counter(self) -> Quantity:
        """How many the counter sells at once."""
        return self.quantity or Quantity()


class Picture(Frozen):
    """A picture by the name under which the site keeps it, and what it shows, for those who cannot see it."""

    name: PictureName
    text: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=250), AfterValidator(one_line)
    ]


class Variant(Frozen):
    """A product in one colour, size or edition. Its amount, if it has one, takes the place of the price's."""

    id: Code
    name: Name
    amount: Amounts | None = None
    stock: Stock | None = None
    picture: Picture | None = None


class Content(Frozen):
    """What a bundle holds: so many of a price, in a variant."""

    price: Code
    quantity: Annotated[int, Field(ge=1, le=9999)] = 1
    variant: Code | None = None


class Listed(Frozen):
    """Something that the desk lists and finds by its name."""

    @property
    def desk_name(self) -> str:
        """What the desk calls it."""
        return getattr(self, "owner_name", None) or self.name or self.id  # type: ignore[attr-defined, no-any-return]

    @cached_property
    def folded_name(self) -> str:
        """The same as it is compared with what is sought."""
        return self.desk_name.casefold()


class Product(Listed):
    """What is sold. `name` is what buyers read, `owner_name` what the desk lists.

    An event without `held_in` is held online. `stock` is the opening stock, counted from when the product is made.
    What is not out before `available_from` is charged when it is ordered or, if `charged` says so, on that day.
    `refund_days` is for how many days after it was paid the shop promises to take it back.
    A product that `contains` prices is a bundle. Between the prices of its `ladder` customers may change: up takes
    effect now, down when the paid time ends.
    """

    id: Code
    name: Name
    owner_name: Name | None = None
    text: Text | None = None
    picture: Picture | None = None
    kind: Literal["goods", "digital", "service", "event"]
    held_in: Place | None = None
    counts_as: Code = "standard"
    weight_g: Annotated[int, Field(ge=0, le=100_000_000)] | None = None
    stock: Stock | None = None
    available_from: Day | None = None
    charged: Literal["at_order", "at_release"] = "at_order"
    refund_days: Annotated[int, Field(ge=0, le=3650)] | None = None
    variants: Annotated[list[Variant], Field(max_length=200)] = Field(default_factory=list)
    contains: Annotated[list[Content], Field(max_length=100)] = Field(default_factory=list)
    ladder: Annotated[list[Code], Field(min_length=2, max_length=50)] | None = None
    prices: Annotated[list[Price], Field(min_length=1, max_length=50)]


class Coupon(Listed):
    """A discount that a buyer types, that a link brings along, or that comes by itself (`automatic`).

    Either a percentage, rounded per line, or an amount shared over the lines it applies to. `only` names products;
    `from` and `until` include their days in the site's zone; `limit` and `per_customer` count orders. `renewals` says
    how many charges it counts for: one where it is left out, N, or all. With `combine: false` it goes with no other.
    """

    id: CouponCode
    name: Name | None = None
    percent: Rate | None = None
    amount: Amounts | None = None
    only: list[Code] | None = None
    minimum: Amounts | None = None
    from_: Day | None = Field(default=None, alias="from")
    until: Day | None = None
    limit: Count | None = None
    per_customer: Count | None = None
    renewals: Renewals | None = None
    combine: bool = True
    automatic: bool = False


class Checkout(Listed):
    """A form that sells prices: one, or those that the buyer may choose between."""

    id: Code
    name: Name
    prices: Annotated[list[Code], Field(min_length=1, max_length=20)]
    heading: Name | None = None
    text: Text | None = None
    button: Annotated[
        str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40), AfterValidator(one_line)
    ] = "Pay"


class StandInBuyer(Listed):
    """An invented buyer for whom tapes are made out and tests are bought; real buyers never meet one.

    `name` is what the desk calls them; `person` and `email` are what they type at the counter; `card` is how their
    card behaves.
    """

    id: Code
    name: Name
    person: Name
    email: Email
    country: Country
    region: Annotated[str, StringConstraints(strip_whitespace=True, max_length=40), AfterValidator(one_line)] | None = (
        None
    )
    postal_code: (
        Annotated[str, StringConstraints(strip_whitespace=True, max_length=12), AfterValidator(one_line)] | None
    ) = None
    currency: CurrencyCode
    business: bool = False
    tax_number: (
        Annotated[str, StringConstraints(strip_whitespace=True, max_length=30), AfterValidator(one_line)] | None
    ) = None
    card: CardBehaviour = "approved"
    screen: Literal["desktop", "phone"] = "desktop"


class SiteFile(Frozen):
    """A whole site: the parts that are edited, kept and released.

    `change` is the change of the draft that the file was exported at: a site that has moved on refuses it.
    """

    format: Literal["skurrow-site/1"]
    change: Annotated[int, Field(ge=1)] | None = None
    site: Site
    currencies: Annotated[list[Currency], Field(min_length=1, max_length=50)]
    tax: Tax = Tax()
    delivery: Delivery = Delivery()
    papers: Papers = Papers()
    payments: Payments = Payments()
    subscriptions: Subscriptions = Subscriptions()
    products: list[Product] = Field(default_factory=list)
    coupons: list[Coupon] = Field(default_factory=list)
    checkouts: list[Checkout] = Field(default_factory=list)
    stand_in_buyers: list[StandInBuyer] = Field(default_factory=list)


PARTS: dict[str, type[Frozen]] = {
    "site": Site,
    "tax": Tax,
    "delivery": Delivery,
    "papers": Papers,
    "payments": Payments,
    "subscriptions": Subscriptions,
    "product": Product,
    "coupon": Coupon,
    "checkout": Checkout,
    "stand_in_buyer": StandInBuyer,
}
"""Kinds of part that stand by themselves, with their models; `currencies` is a list kept as one part."""

LISTS = {
    "product": "products",
    "coupon": "coupons",
    "checkout": "checkouts",
    "stand_in_buyer": "stand_in_buyers",
}
"""Kinds of part of which a site has many, with the name of their list in the site file."""

SINGLE = ("site", "currencies", "tax", "delivery", "papers", "payments", "subscriptions")
"""Kinds of part of which a site has one."""
