"""What a buyer writes on a bank transfer, and the same as a QR code that banking apps read (EPC069-12)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from segno import helpers

from skurrow.core.money import format_amount
from skurrow.core.payments.transfers import rf_reference, spaced


@dataclass(frozen=True, slots=True)
class TransferSlip:
    """Amount, holder, account and reference of a transfer; numbers in groups of four. `qr` is an SVG as a data URI."""

    amount: str
    currency: str
    holder: str
    iban: str
    bic: str | None
    reference: str
    qr: str


def to_whom(details: Mapping[str, str], code: str) -> tuple[str, str, str]:
    """Holder, account and reference of a transfer for an order by its code, without the QR code, which takes time."""
    return details["holder"], spaced(details["iban"]), spaced(rf_reference(code))


def transfer_slip(details: Mapping[str, str], code: str, amount: int, currency: str) -> TransferSlip:
    """The slip for an order by its code; `details` are those of the seller's account, checked when it was connected."""
    written, reference = format_amount(amount, currency), rf_reference(code)
    drawn = helpers.make_epc_qr(
        name=details["holder"],
        iban=details["iban"],
        amount=Decimal(written),
        reference=reference,
        bic=details.get("bic"),
        encoding="utf-8",
    )
    holder, iban, shown = to_whom(details, code)
    return TransferSlip(
        amount=written,
        currency=currency,
        holder=holder,
        iban=iban,
        bic=details.get("bic"),
        reference=shown,
        qr=drawn.svg_data_uri(scale=4, border=4),
    )
