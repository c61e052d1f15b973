"""Which tax a line bears, and why: place, treatment, rates and a reason, in the contract's order of decision.

Exempt seller · event · home · business in another EU country · registered in the buyer's state · EU one-stop shop ·
home rate within the EU · registered in the buyer's country outside the EU · export (goods) or outside (the rest).

Goods are taxed by where they are sent, what is digital by where the buyer is. Sources: Directive 2006/112/EC as
named in each reason, and national rules; all of them from memory, which the reasons and docs/tax.md say.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from functools import lru_cache
from typing import NamedTuple

from skurrow.core import places
from skurrow.core.countries import EU
from skurrow.core.money import share
from skurrow.core.order import Address, Buyer
from skurrow.core.places import NORTHERN_IRELAND, Place
from skurrow.core.site.products import Product
from skurrow.core.site.whole import SiteFile
from skurrow.core.tax.numbers import TaxNumber, read
from skurrow.core.tax.rates import Rate, Tables, turning_days
from skurrow.core.words import sentence

Ratio = tuple[int, int]
"""A rate as whole numbers: numerator, denominator."""

NOTED = frozenset({"picked_up", "eu_below_threshold", "export", "above_low_value"})
"""Reasons that stand among the notes of a quote."""

SILENT = frozenset({"eu_below_threshold"})
"""Those of them that are the seller's business, and not told to buyers."""

UNTAXED = frozenset({"intra_eu", "reverse_charge", "export", "outside", "not_registered"})
"""Treatments without tax, for which the home tax comes off an included amount."""

LOW_VALUE: dict[str, tuple[str, int, bool]] = {
    "GB": ("GBP", 13_500, False),
    "NO": ("NOK", 300_000, True),
    "AU": ("AUD", 100_000, False),
    "NZ": ("NZD", 100_000, False),
}
"""Up to which value goods to consumers bear the tax of where they go: currency, minor units, and whether of each item
(else of the consignment). From memory of the countries' rules on low-value imports."""


class Levy(NamedTuple):
    """One tax: where, its name, its rate (also as a ratio), and whether the rate could be checked."""

    place: str
    name: str
    rate: Rate
    ratio: Ratio


@dataclass(frozen=True, slots=True, eq=False)
class Ruling:
    """How a line is taxed: `levies` in order, or none and a `treatment` that says why not.

    `deduct` is the home tax that comes off an included amount. `above` is what holds instead for goods above a
    low-value `limit` (currency, minor units, of each item).
    """

    place: str
    treatment: str
    levies: tuple[Levy, ...]
    reason: tuple[str, str]
    notes: tuple[tuple[str, str, bool], ...] = ()
    deduct: Ratio | None = None
    limit: tuple[str, int, bool] | None = None
    above: Ruling | None = None

    signature: tuple[object, ...] = field(init=False)
    """All of it that amounts depend on."""
    rate: Ratio = field(init=False)
    """All levies together."""
    mark: tuple[object, ...] = field(init=False)
    """All of it: what is ruled alike has the same mark."""

    def __post_init__(self) -> None:
        ratios = tuple([levy.ratio for levy in self.levies])
        object.__setattr__(self, "signature", (ratios, self.deduct))
        object.__setattr__(self, "rate", _together(ratios))
        levies = tuple([(levy.place, levy.name, levy.ratio) for levy in self.levies])
        above = self.above and self.above.mark
        mark = (self.place, self.treatment, levies, self.reason, self.notes, self.deduct, self.limit, above)
        object.__setattr__(self, "mark", mark)

    def included(self, amount: int) -> list[int]:
        """Each levy's tax in an amount that includes all: round(total × Σr / (1 + Σr)), shared by rate."""
        numerator, denominator = self.rate
        whole = numerator + denominator
        tax = (2 * amount * numerator + whole) // (2 * whole)  # half up, for no amount is below zero
        if len(self.levies) == 1:
            return [tax]
        return share(tax, self.weights) if numerator else [0 for _ in self.levies]

    def on_top(self, amount: int) -> list[int]:
        """Each levy's tax on an amount without tax, rounded one by one."""
        return [(2 * amount * n + d) // (2 * d) for n, d in [levy.ratio for levy in self.levies]]

    @property
    def weights(self) -> list[int]:
        """The rates of the levies as whole numbers in proportion."""
        denominator = self.rate[1]
        return [n * (denominator // d) for n, d in [levy.ratio for levy in self.levies]]


@lru_cache(maxsize=1024)
def _together(ratios: tuple[Ratio, ...]) -> Ratio:
    numerator, denominator = 0, 1
    for n, d in ratios:
        whole = denominator * d
        numerator, denominator = numerator * d + n * denominator, whole
    return numerator, denominator


class What(NamedTuple):
    """All of a product that its tax depends on."""

    kind: str
    counts_as: str
    held_in: str | None

    @classmethod
    def of(cls, product: Product) -> What:
        """That of a product."""
        return cls(product.kind, product.counts_as, product.held_in)


class Seller:
    """Who sells, as far as tax goes: home, registrations, tables, and what has been decided before."""

    _MOST = 4096

    def __init__(self, site: SiteFile) -> None:
        tax = site.tax
        self.home = site.site.country
        self.exempt = tax.exempt
        self.deduct = tax.when_untaxed == "deduct"
        self.proof = tax.business_proof
        self.tables = Tables(tax.rates)
        self._registrations = tax.registrations
        days = set(turning_days())
        for one in tax.registrations:
            days |= {one.from_} if one.from_ else set()
            days |= {one.until + timedelta(days=1)} if one.until and one.until < date.max else set()
        self._turns = sorted(days)
        self._inner = places.told_apart() | {own.place[:2] for own in tax.rates if own.postal_prefix}
        self._decided: dict[object, Ruling] = {}

    @property
    def eu(self) -> bool:
        """Whether the seller is in the European Union."""
        return self.home in EU

    def era(self, day: date) -> int:
        """The number of the span of days, between two changes of any rate or registration, that a day is in."""
        return bisect_right(self._turns, day)

    def settled(self, day: date) -> bool:
        """Whether nothing is known to change after a day."""
        return self.era(day) == len(self._turns)

    def on(self, day: date) -> tuple[frozenset[str], bool]:
        """The places of registration on a day, and whether the one-stop shop is used."""
        now = [
            one
            for one in self._registrations
            if (one.from_ is None or one.from_ <= day) and (one.until is None or day <= one.until)
        ]
        return frozenset({one.place for one in now if one.place}), any(one.scheme == "EU-OSS" for one in now)

    def ruling(self, what: What, buyer: Buyer, sent: bool, day: date) -> Ruling:
        """How something is taxed that is sold to a buyer on a day; `sent` is whether goods go to them."""
        to = buyer.deliver_to
        proof = (buyer.tax_number, buyer.tax_number_confirmed) if buyer.business else None
        key = (what, self._where(buyer), to and self._where(to), buyer.business, proof, sent, self.era(day))
        found = self._decided.get(key)
        if found is None:
            if len(self._decided) >= self._MOST:
                self._decided.clear()
            found = self._decided[key] = _Decision(self, what, buyer, sent, day).made()
        return found

    def _where(self, at: Buyer | Address) -> tuple[str, str | None, str | None]:
        """As much of an address as tax depends on."""
        return (at.country, at.region, at.postal_code) if at.country in self._inner else (at.country, None, None)


class _Decision:
    """One decision; every way out is a `Ruling`."""

    def __init__(self, seller: Seller, what: What, buyer: Buyer, sent: bool, day: date) -> None:
        self._seller, self._what, self._buyer, self._day = seller, what, buyer, day
        self._sent = sent and what.kind == "goods"
        to = buyer.deliver_to if self._sent and buyer.deliver_to is not None else buyer
        self._postal = to.postal_code
        self._where = places.at(to.country, to.region, to.postal_code, what.kind)
        self._registered, self._one_stop = seller.on(day)
        self._number = read(buyer.tax_number, buyer.country) if buyer.business and buyer.tax_number else None
        self._notes: list[tuple[str, str, bool]] = []

    def made(self) -> Ruling:
        seller, what, where, home = self._seller, self._what, self._where, self._seller.home
        if seller.exempt is not None:
            return self._untaxed("exempt", home, "exempt_seller", sentence_=seller.exempt.sentence)
        if what.kind == "event" and what.held_in is not None:
            return self._event(what.held_in)
        if self._is_home(where):
            return self._at_home()
        if what.kind == "goods" and not self._sent:
            return self._picked_up()
        self._doubt_number()
        if what.kind == "service" or (what.kind == "event" and self._is_business()):
            return self._service()
        if home in EU and where.eu:
            return self._across_the_eu()
        return self._outside_the_eu()

    # -- where

    def _is_home(self, where: Place) -> bool:
        home = self._seller.home
        if where.country == NORTHERN_IRELAND:
            return home == "GB"
        return where.country == home and (home not in EU or where.eu)

    def _event(self, held_in: str) -> Ruling:
        home = self._seller.home
        if held_in == home and home not in ("US", "CA"):
            return self._taxed(Place(home, home, home in EU), "held_at_home")
        country = held_in.partition("-")[0]
        levies = self._levies(Place(country, held_in, country in EU), in_registers=True)
        if levies:
            return self._taxed_by(levies, held_in, "held_elsewhere")
        return self._untaxed("not_registered", held_in, "held_unregistered")

    def _picked_up(self) -> Ruling:
        home = self._seller.home
        states = sorted(place for place in self._registered if place.startswith(f"{home}-"))
        return self._at_home(Place(home, states[0] if states else home, home in EU), "picked_up")

    def _at_home(self, where: Place | None = None, code: str = "home_rate") -> Ruling:
        where = where or self._where
        if where.tables == NORTHERN_IRELAND:
            where = Place("GB", "GB", False)
        if self._seller.home not in ("US", "CA"):
            return self._taxed(where, code)
        levies = self._levies(where, in_registers=True)
        if levies:
            return self._taxed_by(levies, where.tables, code)
        if where.tables == "US":
            self._note("state_unknown", place="US")
        return self._untaxed("not_registered", where.tables, "not_registered_there")

    def _service(self) -> Ruling:
        where, home = self._where, self._seller.home
        if not self._is_business():
            if home in ("US", "CA"):
                return self._outside_the_eu()
            return self._at_home(Place(home, home, home in EU), "service_at_home")
        if home in EU and where.eu:
            return self._untaxed("reverse_charge", where.country, "reverse_charge", number=self._written())
        return self._untaxed("outside", where.tables, "service_outside")

    def _across_the_eu(self) -> Ruling:
        where, kind = self._where, self._what.kind
        if self._number_counts():
            if kind == "goods":
                return self._untaxed("intra_eu", where.country, "intra_eu", number=self._written())
            return self._untaxed("reverse_charge", where.country, "reverse_charge", number=self._written())
        if where.country in self._registered:
            return self._taxed(where, "registered_there")
        if self._one_stop:
            return self._taxed(where, "one_stop_shop")
        if kind == "event":
            return self._untaxed("not_registered", where.country, "online_event_unregistered")
        home = self._seller.home
        return self._taxed(Place(home, home, True), "eu_below_threshold")

    def _outside_the_eu(self) -> Ruling:
        where, goods = self._where, self._what.kind == "goods"
        levies = self._levies(where, in_registers=True)
        if levies and goods:
            return self._goods_abroad(levies)
        if levies:
            if where.country in LOW_VALUE and self._number_counts():
                return self._untaxed("outside", where.country, "business_outside", number=self._written())
            return self._taxed_by(levies, where.tables, "registered_there")
        if where.country == "US" and where.tables == "US" and any(p.startswith("US-") for p in self._registered):
            self._note("state_unknown", place="US")
        if goods:
            return self._untaxed("export", where.tables, "export")
        if where.country == "GB":
            self._note("gb_no_threshold", silent=True)
        return self._untaxed("outside", where.tables, "outside")

    def _goods_abroad(self, levies: tuple[Levy, ...]) -> Ruling:
        """Goods posted to a country outside the EU where the seller is registered."""
        where, country = self._where, self._where.country
        export = self._untaxed("export", where.tables, "export")
        if country == "CA" or country in EU:
            return export
        if country not in LOW_VALUE:
            return self._taxed_by(levies, where.tables, "registered_there")
        if self._number_counts():
            return export
        currency, limit, each = LOW_VALUE[country]
        most = f"{currency} {limit // 100:,}"
        above = self._untaxed("export", where.tables, "above_low_value", limit=most)
        below = self._taxed_by(levies, where.tables, "low_value", limit=most)
        return Ruling(
            below.place, below.treatment, levies, below.reason, below.notes, None, (currency, limit, each), above
        )

    # -- businesses

    def _is_business(self) -> bool:
        """Whether a business buys: within the EU its number says so, elsewhere its word is enough."""
        if not self._buyer.business:
            return False
        return self._number_counts() if self._seller.home in EU and self._where.eu else True

    def _number_counts(self) -> bool:
        number, home = self._number, self._seller.home
        if number is None or not self._proved():
            return False
        if self._where.eu and home in EU:
            eu = number.country in EU or (number.country == NORTHERN_IRELAND and self._what.kind == "goods")
            return eu and number.country != home
        return number.country == self._where.country

    def _proved(self) -> bool:
        confirmed = self._buyer.tax_number_confirmed
        return confirmed is True or (confirmed is None and self._seller.proof == "well_formed")

    def _doubt_number(self) -> None:
        """Says why a number that was given does not count."""
        buyer = self._buyer
        if not (buyer.business and buyer.tax_number):
            return
        if self._number is None:
            self._note("number_malformed", number=buyer.tax_number)
        elif buyer.tax_number_confirmed is False:
            self._note("number_invalid", number=buyer.tax_number)
        elif not self._proved():
            self._note("number_unconfirmed", number=buyer.tax_number)

    def _written(self) -> str:
        return self._number.written if isinstance(self._number, TaxNumber) else ""

    # -- rates

    def _levies(self, where: Place, in_registers: bool) -> tuple[Levy, ...]:
        """The taxes of a place; those of states and provinces, and with `in_registers` all, only where registered."""
        if where.country == "CA":
            return self._canadian(where)
        if in_registers and where.tables not in self._registered and where.country not in self._registered:
            return ()
        if where.country == "US" and where.tables not in self._registered:
            return ()
        return (self._levy(where.tables),)

    def _canadian(self, where: Place) -> tuple[Levy, ...]:
        found = []
        province = self._seller.tables.find(where.tables, self._what.counts_as, self._day, self._postal)
        harmonised = province is not None and province.name == "HST"
        if "CA" in self._registered:
            found.append(self._levy(where.tables if harmonised else "CA"))
        if where.tables in self._registered and where.tables != "CA" and not harmonised:
            found.append(self._levy(where.tables))
        return tuple(found)

    def _levy(self, place: str) -> Levy:
        rate = self._seller.tables.find(place, self._what.counts_as, self._day, self._postal)
        if rate is None:
            self._note("no_rate", place=place)
            return Levy(place, "Tax", _no_rate(place, self._what.counts_as), (0, 1))
        standard = self._standard(place)
        if standard is not None and rate.rate == standard.rate and not rate.fallback:
            rate = standard  # a row of another name with its value is the standard rate
        if rate.fallback:
            self._note("standard_row", counts_as=self._what.counts_as, place=place)
        if place.startswith("US-") and self._postal:
            self._note("us_postal", silent=True)
        return Levy(place, rate.name, rate, rate.rate.as_integer_ratio())

    def _standard(self, place: str) -> Rate | None:
        return self._seller.tables.find(place, "standard", self._day, self._postal)

    # -- ways out

    def _taxed(self, where: Place, code: str) -> Ruling:
        return self._taxed_by((self._levy(where.tables),), where.tables, code)

    def _taxed_by(self, levies: Sequence[Levy], place: str, code: str, **more: str) -> Ruling:
        rates = [levy.rate for levy in levies]
        if all(rate.rate == 0 and not rate.missing for rate in rates):
            treatment = "zero"
        elif any(rate.counts_as == "standard" or rate.fallback or rate.missing for rate in rates):
            treatment = "standard"
        else:
            standards = [self._standard(rate.place) for rate in rates]
            below = any(of is None or rate.rate < of.rate for rate, of in zip(rates, standards, strict=True))
            treatment = "reduced" if below else "standard"
        percent = " + ".join(percent_of(rate) for rate in rates)
        words = self._words(code, place=place, percent=percent, **more)
        if any(not rate.checked for rate in rates):
            words += " " + sentence("rate_from_memory")
        return Ruling(place, treatment, tuple(levies), (code, words), tuple(self._notes))

    def _untaxed(self, treatment: str, place: str, code: str, **more: str) -> Ruling:
        deduct = None
        if treatment in UNTAXED and self._seller.deduct:
            home = self._seller.tables.find(self._seller.home, self._what.counts_as, self._day)
            if home is not None and home.rate:
                deduct = home.rate.as_integer_ratio()
        words = self._words(code, place=place, percent="0", **more)
        return Ruling(place, treatment, (), (code, words), tuple(self._notes), deduct)

    def _words(self, code: str, **more: str) -> str:
        return sentence(code, buyer=self._buyer.country, home=self._seller.home, **more)

    def _note(self, code: str, silent: bool = False, **parameters: str) -> None:
        note = (code, sentence(code, **parameters), silent)
        if note not in self._notes:
            self._notes.append(note)


def percent_of(rate: Rate) -> str:
    """A rate in percent without needless decimals: "21", "9.975"."""
    return f"{(rate.rate * 100).normalize():f}"


@lru_cache(maxsize=256)
def _no_rate(place: str, counts_as: str) -> Rate:
    return Rate(place, counts_as, "Tax", Decimal(0), "", missing=True)
