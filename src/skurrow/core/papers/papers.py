"""Papers of a sale: an invoice or a receipt as data, which is kept as it was given out and drawn or written from.

A paper takes its amounts from the quote that the order was paid by; nothing is reckoned anew here but sums of those.
What each treatment has to say is a sentence (from memory: Directive 2006/112/EC Art. 226).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import date
from decimal import Decimal
from typing import Any

from pydantic import BaseModel

from skurrow.core.countries import EU
from skurrow.core.edition import Edition
from skurrow.core.papers.paper import (
    DIGITS,
    InNational,
    Paper,
    PaperDelivery,
    PaperDiscount,
    PaperKind,
    PaperLine,
    PaperTax,
    Part,
    Party,
    Payment,
    Sold,
    StillDue,
    sum_of,
)
from skurrow.core.payments.refunds import refund_until
from skurrow.core.site.tax import Registration
from skurrow.core.site.whole import SiteFile
from skurrow.core.tax.numbers import read
from skurrow.core.words import sentence


def kind_for(site: SiteFile, buyer: Mapping[str, Any]) -> PaperKind:
    """What a sale to a buyer is documented by."""
    return "invoice" if buyer.get("business") else site.papers.consumers


def series_for(site: SiteFile, kind: PaperKind, on: date) -> str:
    """How the numbers of a kind of paper begin on a day: each beginning is a series of its own."""
    own = site.papers
    written = {"invoice": own.invoices, "receipt": own.receipts, "credit_note": own.credit_notes}[kind]
    return written.replace("{year}", str(on.year))


def number_text(mode: str, series: str, number: int) -> str:
    """A number in full. Those of test sales cannot be taken for real ones."""
    return f"{'TEST-' if mode == 'test' else ''}{series}{number:0{DIGITS}d}"


def paper(
    edition: Edition,
    sold: Sold,
    number: str,
    national: InNational | None = None,
    name_of: Callable[[str], str] = str,
) -> Paper:
    """The paper of a sale under the edition it was made under; `name_of` gives the name of a place by its code."""
    site, quote = edition.site, sold.quote
    taxes = tuple(PaperTax.model_validate(_only(PaperTax, tax)) for tax in quote["taxes"])
    lines = tuple(_line(edition, quote, line, sold.on) for line in quote["lines"])
    delivery = _delivery(quote)
    (own, vat_id), others = _tax_numbers(site, taxes, sold.on)
    parts = (*lines, *(delivery.parts if delivery else ()))
    return Paper(
        kind=kind_for(site, sold.buyer),
        number=number,
        mode=sold.mode,
        issued_on=sold.on,
        order=sold.code,
        currency=quote["currency"],
        tax_included=quote.get("tax_included", True),
        seller=_seller(site, own, vat_id),
        other_tax_numbers=others,
        buyer=_buyer(sold.buyer),
        sent_to=_sent_to(sold.buyer) if delivery else None,
        lines=lines,
        delivery=delivery,
        taxes=taxes,
        discount_total=quote["discount_total"],
        discounts=tuple(
            PaperDiscount.model_validate(_only(PaperDiscount, one))
            for one in quote.get("discounts", [])
            if Decimal(one["amount"])
        ),
        untaxed_total=quote.get("untaxed_total", "0"),
        net_total=sum_of(quote["currency"], (part.net for part in parts)),
        tax_total=quote["tax_total"],
        total=quote["due_today"],
        payment=sold.payment,
        still_due=tuple(StillDue.model_validate(one) for one in quote.get("still_due", [])),
        sentences=_sentences(site, parts, name_of),
        text=site.papers.text,
        logo=site.site.logo,
        national=national,
    )


def credit_note(
    original: Paper,
    number: str,
    parts: Iterable[Mapping[str, Any]],
    payment: Payment | None,
    national: InNational | None,
    on: date | None = None,
) -> Paper:
    """The credit note of a refund, whose `parts` are as it keeps them, on the paper of the sale; or of a sale that was
    never paid, `on` the day on which it was cancelled."""
    given, currency = list(parts), original.currency
    zero = sum_of(currency, [])
    taxes: dict[tuple[str, ...], tuple[str, str]] = {}
    for one in given:
        for tax in one["taxes"]:
            mark = tuple(str(tax[name]) for name in ("place", "name", "rate", "treatment"))
            base, amount = taxes.get(mark, (zero, zero))
            taxes[mark] = sum_of(currency, [base, tax["base"]]), sum_of(currency, [amount, tax["amount"]])
    untaxed = {one["taxed"]["treatment"] for one in given} - {"standard", "reduced", "zero"}
    return original.model_copy(
        update={
            "kind": "credit_note",
            "number": number,
            "issued_on": payment.on if payment is not None else on or original.issued_on,
            "corrects": original.number,
            "lines": tuple(_credited(one, original.tax_included, zero) for one in given),
            "delivery": None,
            "taxes": tuple(
                PaperTax(place=place, name=name, rate=rate, treatment=treatment, base=base, amount=amount)
                for (place, name, rate, treatment), (base, amount) in taxes.items()
            ),
            "discount_total": zero,
            "discounts": (),
            "untaxed_total": zero,
            "net_total": sum_of(currency, (one["net"] for one in given)),
            "tax_total": sum_of(currency, (one["tax"] for one in given)),
            "total": sum_of(currency, (one["total"] for one in given)),
            "payment": payment,
            "still_due": (),
            "sentences": original.sentences if untaxed else (),
            "national": national,
        }
    )


# -- within -----------------------------------------------------------------------------------------------


def _only(model: type[BaseModel], given: Mapping[str, Any]) -> dict[str, Any]:
    return {name: given[name] for name in model.model_fields}


def _part(quote: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, str]:
    """An amount with how it is taxed. Quotes that were kept without that are taxed as their first tax says."""
    taxed = given.get("taxed") or quote["taxes"][0]
    amounts = {name: given[name] for name in ("net", "tax", "total")}
    return {**amounts, **{name: taxed[name] for name in ("place", "treatment", "rate")}}


def _line(edition: Edition, quote: Mapping[str, Any], line: Mapping[str, Any], on: date) -> PaperLine:
    known = edition.prices.get(line["price"])
    return PaperLine(
        **_part(quote, line),
        name=line["name"],
        kind=known.product.kind if known else "goods",
        quantity=line["quantity"],
        unit=line["unit"],
        discount=line["discount"],
        untaxed=line["untaxed"],
        refund_until=refund_until(edition, line["price"], on),
    )


def _delivery(quote: Mapping[str, Any]) -> PaperDelivery | None:
    sent = quote.get("delivery")
    if sent is None:
        return None
    parts = tuple(Part.model_validate(_part(quote, one)) for one in sent.get("parts") or [sent])
    return PaperDelivery(name=sent["name"], amount=sent["amount"], untaxed=sent["untaxed"], parts=parts)


def _seller(site: SiteFile, number: str | None, vat_id: str | None) -> Party:
    own = site.papers
    return Party(
        name=own.name or site.site.name,
        street=own.street,
        postal_code=own.postal_code,
        city=own.city,
        region=own.region,
        country=site.site.country,
        email=own.email,
        tax_number=number,
        vat_id=vat_id,
    )


def _buyer(buyer: Mapping[str, Any]) -> Party:
    address = buyer.get("address") or {}
    company = buyer.get("company") if buyer.get("business") else None
    return Party(
        name=company or buyer["name"],
        person=buyer["name"] if company else None,
        street=address.get("street"),
        postal_code=address.get("postal_code"),
        city=address.get("city"),
        region=address.get("region"),
        country=buyer["country"],
        email=buyer["email"],
        tax_number=buyer.get("tax_number"),
        vat_id=_vat_id(buyer.get("tax_number"), buyer["country"]),
    )


def _sent_to(buyer: Mapping[str, Any]) -> str:
    parcel = buyer.get("deliver_to") or {}
    return str(parcel.get("country") or buyer["country"])


def _vat_id(number: str | None, country: str) -> str | None:
    found = read(number, country) if number else None
    if found is None:
        return None
    return found.written if found.written[:2].isalpha() else f"{found.country}{found.written}"


def _tax_numbers(
    site: SiteFile, taxes: Iterable[PaperTax], on: date
) -> tuple[tuple[str | None, str | None], tuple[str, ...]]:
    """The seller's number where the sale is taxed (else at home), as it is written and in full, and further ones that
    taxes of it are due under."""
    known = {one.place: one.number for one in site.tax.registrations if one.number and one.place and _counts(one, on)}
    home = known.get(site.site.country)
    due_in = dict.fromkeys(known.get(tax.place) for tax in taxes if tax.name != "No tax")
    there = [number for number in due_in if number]
    first = there[0] if len(there) == 1 and all(tax.place in known for tax in taxes) else home
    place = next((place for place, number in known.items() if number == first), site.site.country)
    return (first, _vat_id(first, place.partition("-")[0])), tuple(number for number in there if number != first)


def _counts(one: Registration, on: date) -> bool:
    return (one.from_ is None or one.from_ <= on) and (one.until is None or on <= one.until)


def _sentences(site: SiteFile, parts: Iterable[Part], name_of: Callable[[str], str]) -> tuple[str, ...]:
    """What the paper says about amounts without tax, each once."""
    eu = site.site.country in EU
    found: dict[str, None] = {}
    for part in parts:
        treatment, place = part.treatment, name_of(part.place)
        if treatment == "exempt" and site.tax.exempt is not None:
            found[sentence("paper_exempt", sentence_=site.tax.exempt.sentence)] = None
        elif treatment in ("intra_eu", "reverse_charge", "not_registered"):
            found[sentence(f"paper_{treatment}", place=place)] = None
        elif treatment in ("export", "outside"):
            found[sentence(f"paper_{treatment}{'_eu' if eu else ''}", place=place)] = None
    return tuple(found)


def _credited(part: Mapping[str, Any], included: bool, zero: str) -> PaperLine:
    taxed = part["taxed"]
    return PaperLine(
        **{name: part[name] for name in ("net", "tax", "total", "name", "kind")},
        **{name: taxed[name] for name in ("place", "treatment", "rate")},
        quantity=1,
        unit=part["total"] if included else part["net"],
        discount=zero,
        untaxed=zero,
    )
