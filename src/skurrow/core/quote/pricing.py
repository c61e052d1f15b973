"""Pricing an order line by line: amounts, discounts, tax, delivery, and what is charged later."""

from __future__ import annotations

from datetime import date

from skurrow.core.delivery.methods import PricedMethod
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import LARGEST, AmountError, amount_writer, format_amount, parse_amount
from skurrow.core.order import Item, Order, OwnDiscount, QuoteRefused
from skurrow.core.problems import Path, Problem
from skurrow.core.quote.charges import Charges, DayCharge
from skurrow.core.quote.discounts import Charged, Cuts, Note, Reckoning, percent_text
from skurrow.core.quote.reasons import line_reasons
from skurrow.core.quote.taxing import Taxing, taxed
from skurrow.core.quote.written import YEARS_SCHEDULED, Line, Quote, tax_lines
from skurrow.core.tax.deciding import NOTED, SILENT, Ruling
from skurrow.core.words import sentence

MOST_SHARED = 20
"""Items up to which a quote is kept for other buyers."""


def charge_kind(lines: list[Charged], day: DayCharge) -> str:
    again = {lines[part.line].priced.rhythm.kind for part in day.due if part.n > 0}
    return "renewal" if "recurring" in again else "instalment" if again else "first"


class Pricing:
    """One order under one edition: its lines, their discounts and taxes, and all that is charged.

    Raises QuoteRefused when it is made, with every problem at once.
    """

    def __init__(self, edition: Edition, order: Order, used_up: frozenset[str] = frozenset()) -> None:
        self.edition, self.order = edition, order
        self.today = order.at.astimezone(edition.site.site.zone).date()
        self.notes: list[Note] = []
        problems: list[Problem] = []
        if order.currency not in edition.currencies:
            remedy = "Choose one of " + ", ".join(edition.currencies)
            problems.append(Problem(("currency",), f"The site does not sell in {order.currency}", remedy, "unknown"))
            raise QuoteRefused(problems)
        self.lines: list[Charged] = []
        for i, item in enumerate(order.items):
            try:
                self._add(item, ("items", i))
            except QuoteRefused as refused:
                problems += refused.problems
        reckoning = Reckoning(edition, order, self.lines, self.today, used_up)
        if len(self.lines) == len(order.items):
            self._own_discounts(reckoning, problems)
        reckoning.coupons()
        problems += reckoning.problems
        if problems:
            raise QuoteRefused(problems)
        self.notes += reckoning.notes
        self.discounts = reckoning.discounts
        self.taxing = Taxing(edition, order, self.lines, self._method(), self.today)
        self.taxing.discounts = self.discounts
        for rule in dict.fromkeys(self.taxing.now):
            self._tell(rule)
        self.charges = Charges(self.lines, self.discounts, self.taxing)

    def quote(self) -> Quote:
        """What is due today, and what later."""
        due_today = [(i, 0) for i, line in enumerate(self.lines) if line.today]
        today = self.charges.on(self.today, due_today)
        self._refuse_unsendable(today)
        parts = {part.line: part for part in today.due}
        lines = []
        for i, (item, charged) in enumerate(zip(self.order.items, self.lines, strict=True)):
            part = parts.get(i)
            if part is None:
                cuts: Cuts = []
                subtotal = left = 0
                mine = taxed(0, self.taxing.now[i], self.taxing.included)
            else:
                cuts, subtotal, left, mine = part.cuts, part.subtotal, part.left, part.taxed
                if mine.ruling is not self.taxing.now[i]:
                    self._tell(mine.ruling)
            reasons = line_reasons(self.edition, i, item, charged, self.order.currency, self.discounts, cuts)
            name = line_name(charged.priced, item)
            lines.append(Line(item, name, charged, subtotal // item.quantity, subtotal, cuts, left, mine, reasons))
        later = tuple(self.charges.shown_later(self.today))
        self._refuse_beyond_range([today, *later])
        return Quote(
            currency=self.order.currency,
            today=self.today,
            lines=tuple(lines),
            taxes=tax_lines([*[line.taxed for line in lines], *(today.sent.parts if today.sent else ())]),
            due_today=today.total,
            tax_total=today.tax,
            later=later,
            discounts=tuple(self.discounts),
            notes=tuple(self.notes),
            sent=today.sent,
            included=self.taxing.included,
        )

    def schedule(self, until: date) -> list[DayCharge]:
        """Every charge up to and including a day. Raises QuoteRefused for a day that is too far away."""
        if until.year - self.today.year > YEARS_SCHEDULED:
            message = f"{until} is more than {YEARS_SCHEDULED} years after the order"
            raise QuoteRefused([Problem(("until",), message, "Ask for an earlier day")])
        days = list(self.charges.until(until))
        self._refuse_beyond_range(days)
        return days

    def _method(self) -> PricedMethod | None:
        """The way in which goods are sent; None where nothing is, or it is picked up. Raises QuoteRefused."""
        order = self.order
        if order.delivery is None or all(line.priced.what.kind != "goods" for line in self.lines):
            return None
        to = order.buyer.parcels_go_to
        zone = self.edition.zones.of(to.country, to.region, to.postal_code)
        if zone is None or not zone.methods:
            remedy = "Choose another address, or pick it up" if self.edition.zones.all else "Leave it out"
            raise QuoteRefused([Problem(("delivery",), sentence("no_delivery_here"), remedy, "undeliverable")])
        found = zone.method(order.delivery)
        if found is None:
            message = f"There is no way of delivery called “{order.delivery}” to this address"
            remedy = "Choose one of " + ", ".join(one.id for one in zone.methods)
            raise QuoteRefused([Problem(("delivery",), message, remedy, "unknown")])
        return None if found.method.pick_up else found

    def _refuse_unsendable(self, today: DayCharge) -> None:
        """Refuses a parcel of today that its method does not take."""
        if today.sent is None:
            return
        method = today.sent.method
        parcel = self.taxing.parcel_of([(part.line, part.n) for part in today.due], [part.left for part in today.due])
        if parcel is not None and method.costs(parcel, self.order.currency) is None:
            message = sentence("method_not_for_this", method=method.method.name)
            raise QuoteRefused([Problem(("delivery",), message, "Choose another way, or order less", "undeliverable")])

    def _tell(self, rule: Ruling) -> None:
        """Adds what is to be known about a ruling to the notes."""
        code, text = rule.reason
        if code in NOTED:
            self._note(code, text, code in SILENT)
        for one in rule.notes:
            self._note(*one)

    def _refuse_beyond_range(self, days: list[DayCharge]) -> None:
        for day in days:
            if day.total > LARGEST:
                most = f"{format_amount(LARGEST, self.order.currency)} {self.order.currency}"
                when = "The total" if day.on == self.today else f"The total on {day.on}"
                raise QuoteRefused([Problem(("items",), f"{when} is above {most}", "Order less at once")])

    # -- lines

    def _add(self, item: Item, path: Path) -> None:
        """Adds an item as a line; what the buyer should know is added to the notes, once."""
        edition, order = self.edition, self.order
        priced = edition.prices.get(item.price)
        if priced is None:
            remedy = "Choose one of the site's prices"
            raise QuoteRefused([Problem((*path, "price"), f"There is no price “{item.price}”", remedy, "unknown")])
        limits = priced.price.quantity
        fits = limits is None or limits.min <= item.quantity <= limits.max
        known = item.variant is None or item.variant in priced.variants
        problems = [] if fits and known else _item_problems(priced, item, path)
        regular, start = self._amounts(priced, item, path, problems)
        if max(regular, start) > LARGEST:
            most = f"{format_amount(LARGEST, order.currency)} {order.currency}"
            problems.append(Problem((*path, "quantity"), f"The line is above {most}", "Order fewer"))
        if problems:
            raise QuoteRefused(problems)
        if order.currency in priced.converted:
            by = next(c.rate for c in edition.site.currencies if c.code == order.currency)
            self._note("converted", sentence("converted", base=edition.base, rate=str(by)))
        counted_from = self._counted_from(priced)
        rhythm = priced.rhythm
        today = counted_from == self.today and not rhythm.free
        self.lines.append(Charged(priced, item.quantity, regular, start, counted_from, today))

    def _amounts(self, priced: PricedProduct, item: Item, path: Path, problems: list[Problem]) -> tuple[int, int]:
        """A regular charge and a different first payment, of all pieces together."""
        currency = self.order.currency
        unit = priced.amounts[currency]
        if priced.chosen is not None:
            unit = _chosen(priced, item, currency, path, problems)
        elif item.chosen is not None:
            problems.append(Problem((*path, "chosen"), "This price has a fixed amount", "Leave it out"))
        elif item.variant in priced.variants:
            unit = priced.variants[item.variant][currency]
        return unit * item.quantity, priced.starts.get(currency, 0) * item.quantity

    def _counted_from(self, priced: PricedProduct) -> date:
        """The day charges are counted from: today, or the day on which something comes out that is charged then."""
        out = priced.product.available_from
        if out is None or out <= self.today:
            return self.today
        later = priced.product.charged == "at_release"
        code = "charged_at_release" if later else "not_out_yet"
        self._note(code, sentence(code, name=priced.product.name, day=out.isoformat()))
        return out if later else self.today

    def _note(self, code: str, text: str, silent: bool = False) -> None:
        note = Note(code, text, silent)
        if note not in self.notes:
            self.notes.append(note)

    def _own_discounts(self, reckoning: Reckoning, problems: list[Problem]) -> None:
        for i, item in enumerate(self.order.items):
            if item.own_discount is None:
                continue
            path: Path = ("items", i, "own_discount")
            try:
                ratio, amount, words = _own_discount(item.own_discount, self.order.currency)
            except AmountError as error:
                message, _, remedy = str(error).partition("; ")
                problems.append(Problem(path, message, (remedy or "correct it").capitalize()))
                continue
            reckoning.own(i, ratio, amount, words)


def line_name(priced: PricedProduct, item: Item) -> str:
    """What buyers read: the product, and the variant where there is one."""
    if item.variant is None:
        return priced.product.name
    variant = next((one.name for one in priced.product.variants if one.id == item.variant), item.variant)
    return f"{priced.product.name}, {variant}"


def _own_discount(given: OwnDiscount, currency: str) -> tuple[tuple[int, int] | None, int, str]:
    """Ratio, amount and words of an own discount; raises AmountError."""
    if (given.percent is None) == (given.amount is None):
        raise AmountError("An own discount is either a percentage or an amount; write one of percent and amount")
    if given.percent is not None:
        if not 0 < given.percent <= 100:
            raise AmountError(f'{given.percent} % cannot be taken off; write above "0" up to "100"')
        numerator, denominator = given.percent.as_integer_ratio()
        return (numerator, denominator * 100), 0, f"{percent_text(given.percent)} % off"
    amount = parse_amount(given.amount or "", currency)
    if amount == 0:
        raise AmountError("Nothing cannot be taken off; write an amount above 0")
    return None, amount, f"{currency} {format_amount(amount, currency)} off"


def _chosen(priced: PricedProduct, item: Item, currency: str, path: Path, problems: list[Problem]) -> int:
    """The amount of one that the buyer has chosen; what is wrong with it is added to `problems`."""
    assert priced.chosen is not None
    money = amount_writer(currency)
    least = priced.chosen.minimum[currency]
    most = priced.chosen.maximum[currency] if priced.chosen.maximum else LARGEST
    here = (*path, "chosen")
    if item.chosen is None:
        remedy = f"Write an amount of at least {money(least)} {currency}"
        problems.append(Problem(here, "The buyer chooses this amount, and it is missing", remedy, "missing"))
        return 0
    try:
        amount = parse_amount(item.chosen, currency)
    except AmountError as error:
        message, _, remedy = str(error).partition("; ")
        problems.append(Problem(here, message, remedy.capitalize() or "Write a smaller amount"))
        return 0
    if not least <= amount <= most:
        message = f"The amount goes from {money(least)} {currency}"
        message += f" to {money(most)} {currency}" if priced.chosen.maximum else " upwards"
        problems.append(Problem(here, message, "Write an amount within that", "range"))
    return amount


def _item_problems(priced: PricedProduct, item: Item, path: Path) -> list[Problem]:
    problems: list[Problem] = []
    limits = priced.price.quantity
    if item.variant is not None and item.variant not in priced.variants:
        message = f"“{priced.product.name}” has no variant “{item.variant}”"
        remedy = f"Choose one of {', '.join(priced.variants)}" if priced.variants else "Leave it out"
        problems.append(Problem((*path, "variant"), message, remedy, "unknown"))
    if limits is not None and not limits.min <= item.quantity <= limits.max:
        message = f"“{priced.product.name}” is sold {_limits(limits.min, limits.max)}"
        problems.append(Problem((*path, "quantity"), message, "Change the quantity", "quantity"))
    return problems


def _limits(least: int, most: int) -> str:
    if least == most == 1:
        return "one at a time"
    return f"{least} at a time" if least == most else f"{least} to {most} at a time"
