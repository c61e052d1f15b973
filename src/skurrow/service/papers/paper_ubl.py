"""A paper as an electronic invoice: UBL 2.1 with the semantics of EN 16931.

Amounts are the paper's own. A line's price is what its whole quantity comes to without tax, for that quantity, so that
nothing is rounded twice. Source: EN 16931-1 business terms (BT-…) and its UBL binding, as the published rules check.
"""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal
from xml.etree import ElementTree as ET

from skurrow.core.bounds import for_xml
from skurrow.core.money import MINOR_UNITS
from skurrow.core.papers.paper import Paper, Part, Party, left_to_pay, prepaid

_CBC = "urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"
_CAC = "urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
_ROOT = "urn:oasis:names:specification:ubl:schema:xsd:{}-2"
PROFILE = "urn:cen.eu:en16931:2017"
"""The specification that the invoice follows (BT-24)."""

_CATEGORIES = {
    "standard": "S",
    "reduced": "S",
    "zero": "Z",
    "exempt": "E",
    "reverse_charge": "AE",
    "intra_eu": "K",
    "export": "G",
    "outside": "O",
    "not_registered": "O",
}
"""Codes of UNTDID 5305 by treatment (BT-151)."""

_WHY = {
    "E": (None, "Exempt from tax"),
    "AE": ("VATEX-EU-AE", "Reverse charge"),
    "K": ("VATEX-EU-IC", "Intra-Community supply"),
    "G": ("VATEX-EU-G", "Export outside the EU"),
    "O": ("VATEX-EU-O", "Not subject to VAT"),
}
"""Code and words for why there is no tax (BT-120, BT-121)."""

for prefix, namespace in (("cbc", _CBC), ("cac", _CAC)):
    ET.register_namespace(prefix, namespace)


def why_not(paper: Paper) -> str | None:
    """Why a paper cannot be written so, in a sentence; None where it can."""
    if any(tax.place.partition("-")[0] in ("US", "CA") and Decimal(tax.rate) for tax in paper.taxes):
        return "An EN 16931 invoice knows value-added tax only, and this sale bears another tax."
    if MINOR_UNITS[paper.currency] > 2:
        return f"An EN 16931 invoice knows two decimals at most, and {paper.currency} has more."
    if paper.seller.vat_id is None:
        return "An EN 16931 invoice names the seller's tax number: write it beside the registration, under Tax."
    return None


def write(paper: Paper) -> bytes:
    """The invoice or credit note as XML, in UTF-8."""
    return bytes(ET.tostring(_Writing(paper).document(), encoding="utf-8", xml_declaration=True))


class _Writing:
    def __init__(self, paper: Paper) -> None:
        self._paper = paper
        parts = self._parts()
        found = {_CATEGORIES[part.treatment] for part in parts}
        # Nothing that is taxed, or exempt for another reason, can stand beside category O (BR-O-11).
        self._mixed = len(found) > 1 and "O" in found
        self._outside = found == {"O"}

    def document(self) -> ET.Element:
        paper = self._paper
        self._credit = paper.kind == "credit_note"
        name = "CreditNote" if self._credit else "Invoice"
        root = ET.Element(f"{{{_ROOT.format(name)}}}{name}")
        _text(root, "CustomizationID", PROFILE)
        _text(root, "ID", paper.number)
        _text(root, "IssueDate", paper.issued_on.isoformat())
        if paper.still_due:
            _text(root, "DueDate", paper.still_due[-1].on.isoformat())
        _text(root, f"{name}TypeCode", "381" if self._credit else "380")
        for note in self._notes():
            _text(root, "Note", note)
        _text(root, "DocumentCurrencyCode", paper.currency)
        if paper.national is not None:
            _text(root, "TaxCurrencyCode", paper.national.currency)
        _text(_group(root, "OrderReference"), "ID", paper.order)
        if paper.corrects is not None:
            reference = _group(_group(root, "BillingReference"), "InvoiceDocumentReference")
            _text(reference, "ID", paper.corrects)
        self._party(_group(root, "AccountingSupplierParty"), paper.seller, seller=True)
        self._party(_group(root, "AccountingCustomerParty"), paper.buyer, seller=False)
        self._delivery(root)
        if paper.payment is not None:
            means = _group(root, "PaymentMeans")
            _text(means, "PaymentMeansCode", "48")
        if paper.still_due or (paper.payment is None and not self._credit):
            _text(_group(root, "PaymentTerms"), "Note", _terms(paper))
        self._charges(root)
        self._taxes(root)
        self._totals(root)
        for n, line in enumerate(paper.lines, 1):
            self._line(root, n, line)
        return root

    def _parts(self) -> tuple[Part, ...]:
        delivery = self._paper.delivery
        return (*self._paper.lines, *(delivery.parts if delivery else ()))

    def _notes(self) -> Iterable[str]:
        if self._paper.mode == "test":
            yield "A test: nothing was sold, and this is no invoice."
        yield from self._paper.sentences
        if self._paper.text:
            yield self._paper.text

    def _party(self, parent: ET.Element, party: Party, seller: bool) -> None:
        inner = _group(parent, "Party")
        number = party.vat_id
        if seller and self._outside and number:
            _text(_group(inner, "PartyIdentification"), "ID", number)
        address = _group(inner, "PostalAddress")
        streets = [line.strip() for line in (party.street or "").splitlines() if line.strip()]
        for name, text in zip(("StreetName", "AdditionalStreetName"), streets, strict=False):
            _text(address, name, text)
        further = (("CityName", party.city), ("PostalZone", party.postal_code), ("CountrySubentity", party.region))
        for name, given in further:
            if given:
                _text(address, name, given)
        _text(_group(address, "Country"), "IdentificationCode", party.country)
        if number and not self._outside:
            scheme = _group(inner, "PartyTaxScheme")
            _text(scheme, "CompanyID", number)
            _text(_group(scheme, "TaxScheme"), "ID", "VAT")
        _text(_group(inner, "PartyLegalEntity"), "RegistrationName", party.name)
        if party.person or party.email:
            contact = _group(inner, "Contact")
            if party.person:
                _text(contact, "Name", party.person)
            if party.email:
                _text(contact, "ElectronicMail", party.email)

    def _delivery(self, root: ET.Element) -> None:
        delivery = _group(root, "Delivery")
        _text(delivery, "ActualDeliveryDate", self._paper.issued_on.isoformat())
        if self._paper.sent_to:
            address = _group(_group(delivery, "DeliveryLocation"), "Address")
            _text(_group(address, "Country"), "IdentificationCode", self._paper.sent_to)

    def _charges(self, root: ET.Element) -> None:
        """Delivery, once for each rate (BG-21); FC is freight in UNTDID 7161."""
        delivery = self._paper.delivery
        for part in delivery.parts if delivery else ():
            assert delivery is not None
            charge = _group(root, "AllowanceCharge")
            _text(charge, "ChargeIndicator", "true")
            _text(charge, "AllowanceChargeReasonCode", "FC")
            _text(charge, "AllowanceChargeReason", delivery.name)
            self._amount(charge, "Amount", part.net)
            self._category(_group(charge, "TaxCategory"), part)

    def _taxes(self, root: ET.Element) -> None:
        paper = self._paper
        total = _group(root, "TaxTotal")
        self._amount(total, "TaxAmount", paper.tax_total)
        sums: dict[tuple[str, str], tuple[Part, Decimal, Decimal]] = {}
        for part in self._parts():
            key = (self._code(part), part.rate)
            _, net, tax = sums.get(key, (part, Decimal(0), Decimal(0)))
            sums[key] = (part, net + Decimal(part.net), tax + Decimal(part.tax))
        for part, net, tax in sums.values():
            subtotal = _group(total, "TaxSubtotal")
            self._amount(subtotal, "TaxableAmount", f"{net}")
            self._amount(subtotal, "TaxAmount", f"{tax}")
            self._category(_group(subtotal, "TaxCategory"), part, why=True)
        if paper.national is not None:
            other = _group(root, "TaxTotal")
            _text(other, "TaxAmount", paper.national.tax_total, currencyID=paper.national.currency)

    def _totals(self, root: ET.Element) -> None:
        paper = self._paper
        lines = sum((Decimal(line.net) for line in paper.lines), Decimal(0))
        charges = Decimal(paper.net_total) - lines
        totals = _group(root, "LegalMonetaryTotal")
        self._amount(totals, "LineExtensionAmount", f"{lines}")
        self._amount(totals, "TaxExclusiveAmount", paper.net_total)
        self._amount(totals, "TaxInclusiveAmount", paper.total)
        if paper.delivery is not None:
            self._amount(totals, "ChargeTotalAmount", f"{charges}")
        if paper.payment is not None:
            self._amount(totals, "PrepaidAmount", prepaid(paper))
        self._amount(totals, "PayableAmount", left_to_pay(paper))

    def _line(self, root: ET.Element, n: int, line: Part) -> None:
        found = self._paper.lines[n - 1]
        written = _group(root, "CreditNoteLine" if self._credit else "InvoiceLine")
        _text(written, "ID", str(n))
        quantity = "CreditedQuantity" if self._credit else "InvoicedQuantity"
        _text(written, quantity, str(found.quantity), unitCode="C62")
        self._amount(written, "LineExtensionAmount", line.net)
        item = _group(written, "Item")
        _text(item, "Name", found.name)
        self._category(_group(item, "ClassifiedTaxCategory"), line)
        price = _group(written, "Price")
        self._amount(price, "PriceAmount", line.net)
        _text(price, "BaseQuantity", str(found.quantity), unitCode="C62")

    def _code(self, part: Part) -> str:
        code = _CATEGORIES[part.treatment]
        if code == "S" and not Decimal(part.rate):
            return "Z"
        return "E" if code == "O" and self._mixed else code

    def _category(self, group: ET.Element, part: Part, why: bool = False) -> None:
        code = self._code(part)
        _text(group, "ID", code)
        if code != "O":
            _text(group, "Percent", f"{(Decimal(part.rate) * 100).normalize():f}")
        if why and code in _WHY:
            reason, words = _WHY[code]
            if reason:
                _text(group, "TaxExemptionReasonCode", reason)
            _text(group, "TaxExemptionReason", words)
        _text(_group(group, "TaxScheme"), "ID", "VAT")

    def _amount(self, parent: ET.Element, name: str, amount: str) -> None:
        written = f"{Decimal(amount):.{MINOR_UNITS[self._paper.currency]}f}"
        _text(parent, name, written, currencyID=self._paper.currency)


def _group(parent: ET.Element, name: str) -> ET.Element:
    return ET.SubElement(parent, f"{{{_CAC}}}{name}")


def _text(parent: ET.Element, name: str, text: str, **attributes: str) -> None:
    ET.SubElement(parent, f"{{{_CBC}}}{name}", attributes).text = for_xml(text)


def _terms(paper: Paper) -> str:
    """When what is left is to be paid (BT-20), in words."""
    if not paper.still_due:
        return "To be paid within the time that was agreed."
    return "; ".join(f"{one.amount} {paper.currency} on {one.on.isoformat()}" for one in paper.still_due)
