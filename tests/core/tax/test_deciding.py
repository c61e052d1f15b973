"""Which tax a line bears: seller × registrations × buyer × kind, each with its place, treatment, rate and rule."""

from __future__ import annotations

from datetime import date
from typing import Any

import pytest

from skurrow.core.order import Buyer
from skurrow.core.tax.deciding import Ruling, Seller, What
from tests.core.sites import edition, plain

DAY = date(2026, 11, 24)
CURRENCIES = [{"code": "EUR"}, *({"code": code, "rate": "1"} for code in ("GBP", "NOK", "AUD", "NZD"))]
OWN = [
    {"place": "US-NY", "name": "Sales tax", "rate": "0.04"},
    {"place": "US-NY", "postal_prefix": "100", "name": "Sales tax", "rate": "0.08875"},
    {"place": "US-NY", "postal_prefix": "1000", "counts_as": "book", "name": "Sales tax", "rate": "0"},
    {"place": "US", "name": "none", "rate": "0"},
    {"place": "JP", "name": "Consumption tax", "rate": "0.10"},
    {"place": "SG", "name": "GST", "rate": "0.09"},
]
ABROAD = ("GB", "NO", "CH", "AU", "NZ", "US-NY", "US-CA", "CA", "CA-QC", "CA-BC", "SG")

NL_VAT, DE_VAT, BE_VAT = "NL004495445B01", "DE136695976", "BE0428759497"
GB_VAT, XI_VAT, CH_VAT, NO_VAT, AU_ABN = (
    "GB980780684",
    "XI980780684",
    "CHE-107.787.577 IVA",
    "995525828MVA",
    "83914571673",
)


def seller(home: str, registered: str, **tax: Any) -> Seller:
    places = [{"scheme": "EU-OSS"} if one == "OSS" else {"place": one} for one in registered.split()]
    data = plain()
    own = [row for row in OWN if row["place"] != "US"]
    tax = {"registrations": places, "rates": own, **tax}
    site = {**data["site"], "country": home}
    return edition(site=site, currencies=CURRENCIES, tax=tax, products=[], checkouts=[]).seller


def decide(who: Seller, kind: str, to: str, day: date = DAY, **more: Any) -> Ruling:
    """`to` is country, then a region (`US-NY`) or a postal code, as in "ES 35001"; a number makes it a business."""
    country, _, rest = to.partition(" ")
    region = None
    if "-" in country:
        country, region = country.split("-")[0], country
    number, confirmed = more.pop("number", None), more.pop("confirmed", True)
    buyer = Buyer(
        country=country,
        region=region,
        postal_code=rest or None,
        business=more.pop("business", number is not None),
        tax_number=number,
        tax_number_confirmed=confirmed if number else None,
        deliver_to=more.pop("deliver_to", None),
    )
    kind, _, held_in = kind.partition(" in ")
    name, _, row = kind.partition(":")
    return who.ruling(What(name, row or "standard", held_in or None), buyer, more.pop("sent", True), day)


def rates(ruling: Ruling) -> str:
    return " + ".join(f"{levy.name} {levy.rate.rate.normalize():f}" for levy in ruling.levies)


IN_NEW_YORK = "Sales tax 0.08875"
UNSURE = {"number": DE_VAT, "confirmed": None}
REFUTED = {"number": DE_VAT, "confirmed": False}
E = {"exempt": {"sentence": "No tax is charged: small business."}}
# seller, registered, kind, to, more, place, treatment, rates, reason
SITUATIONS: list[tuple[str, str, str, str, dict[str, Any], str, str, str, str]] = [
    # an exempt seller charges none, whatever else is so
    ("NL", "", "goods", "NL", {"tax": E}, "NL", "exempt", "", "exempt_seller"),
    ("NL", "", "digital", "DE", {"tax": E}, "NL", "exempt", "", "exempt_seller"),
    ("NL", "", "service", "US", {"tax": E}, "NL", "exempt", "", "exempt_seller"),
    ("NL", "NL OSS", "event in DE", "FR", {"tax": E}, "NL", "exempt", "", "exempt_seller"),
    # events are taxed where they are held
    ("NL", "NL", "event in NL", "NL", {}, "NL", "standard", "VAT 0.21", "held_at_home"),
    ("NL", "NL", "event in NL", "JP", {}, "NL", "standard", "VAT 0.21", "held_at_home"),
    ("NL", "NL", "event in NL", "DE", {"number": DE_VAT}, "NL", "standard", "VAT 0.21", "held_at_home"),
    ("NL", "NL DE", "event in DE", "NL", {}, "DE", "standard", "VAT 0.19", "held_elsewhere"),
    ("NL", "NL", "event in DE", "DE", {}, "DE", "not_registered", "", "held_unregistered"),
    ("NL", "NL OSS", "event in DE", "DE", {}, "DE", "not_registered", "", "held_unregistered"),
    ("NL", "NL GB", "event in GB", "FR", {}, "GB", "standard", "VAT 0.2", "held_elsewhere"),
    ("NL", "NL US-NY", "event in US-NY", "US 10001", {}, "US-NY", "standard", IN_NEW_YORK, "held_elsewhere"),
    ("NL", "NL", "event in US-NY", "US 10001", {}, "US-NY", "not_registered", "", "held_unregistered"),
    ("NL", "NL CA CA-QC", "event in CA-QC", "NL", {}, "CA-QC", "standard", "GST 0.05 + QST 0.09975", "held_elsewhere"),
    # those held online: consumers where they are, businesses as for a service
    ("NL", "NL", "event", "NL", {}, "NL", "standard", "VAT 0.21", "home_rate"),
    ("NL", "NL OSS", "event", "DE", {}, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL DE", "event", "DE", {}, "DE", "standard", "VAT 0.19", "registered_there"),
    ("NL", "NL", "event", "DE", {}, "DE", "not_registered", "", "online_event_unregistered"),
    ("NL", "NL OSS", "event", "DE", {"number": DE_VAT}, "DE", "reverse_charge", "", "reverse_charge"),
    ("NL", "NL", "event", "US 97201", {}, "US-OR", "outside", "", "outside"),
    ("NL", "NL", "event", "US 97201", {"business": True}, "US-OR", "outside", "", "service_outside"),
    # at home
    ("NL", "NL", "goods", "NL", {}, "NL", "standard", "VAT 0.21", "home_rate"),
    ("NL", "NL OSS", "goods:book", "NL", {}, "NL", "reduced", "VAT 0.09", "home_rate"),
    ("NL", "NL", "digital:ebook", "NL", {}, "NL", "reduced", "VAT 0.09", "home_rate"),
    ("NL", "NL", "digital", "NL", {"number": NL_VAT}, "NL", "standard", "VAT 0.21", "home_rate"),
    ("NL", "NL", "digital", "NL", {"number": BE_VAT}, "NL", "standard", "VAT 0.21", "home_rate"),
    ("NL", "NL", "service", "NL", {"number": NL_VAT}, "NL", "standard", "VAT 0.21", "home_rate"),
    ("NL", "NL", "goods:map", "NL", {}, "NL", "standard", "VAT 0.21", "home_rate"),
    ("CZ", "CZ", "goods:book", "CZ", {}, "CZ", "zero", "VAT 0", "home_rate"),
    ("PT", "PT", "goods", "PT 9500-100", {}, "PT-20", "standard", "VAT 0.16", "home_rate"),
    ("PT", "PT", "digital:ebook", "PT 9000-100", {}, "PT-30", "reduced", "VAT 0.04", "home_rate"),
    ("FR", "FR", "digital", "MC", {}, "FR", "standard", "VAT 0.2", "home_rate"),
    ("GB", "GB", "goods", "GB BT1 5GS", {}, "GB", "standard", "VAT 0.2", "home_rate"),
    ("GB", "GB", "goods", "IM", {}, "GB", "standard", "VAT 0.2", "home_rate"),
    ("GB", "GB", "goods:book", "GB SW1A 1AA", {}, "GB", "zero", "VAT 0", "home_rate"),
    ("CH", "CH", "digital", "LI", {}, "CH", "standard", "VAT 0.081", "home_rate"),
    ("NO", "NO", "goods", "NO", {}, "NO", "standard", "VAT 0.25", "home_rate"),
    ("AU", "AU", "digital", "AU", {}, "AU", "standard", "GST 0.1", "home_rate"),
    ("NZ", "NZ", "goods", "NZ", {}, "NZ", "standard", "GST 0.15", "home_rate"),
    ("JP", "JP", "goods", "JP", {}, "JP", "standard", "Consumption tax 0.1", "home_rate"),
    # picked up: at home whoever buys
    ("NL", "NL OSS", "goods", "DE", {"sent": False}, "NL", "standard", "VAT 0.21", "picked_up"),
    ("NL", "NL OSS", "goods", "DE", {"sent": False, "number": DE_VAT}, "NL", "standard", "VAT 0.21", "picked_up"),
    ("NL", "NL", "goods", "US 10001", {"sent": False}, "NL", "standard", "VAT 0.21", "picked_up"),
    ("US", "US-NY", "goods", "NL", {"sent": False}, "US-NY", "standard", "Sales tax 0.04", "picked_up"),
    # businesses in another EU country
    ("NL", "NL OSS", "goods", "DE", {"number": DE_VAT}, "DE", "intra_eu", "", "intra_eu"),
    ("NL", "NL", "goods", "BE", {"number": BE_VAT}, "BE", "intra_eu", "", "intra_eu"),
    ("NL", "NL", "goods", "BE", {"number": DE_VAT}, "BE", "intra_eu", "", "intra_eu"),
    ("NL", "NL DE", "goods", "DE", {"number": DE_VAT}, "DE", "intra_eu", "", "intra_eu"),
    ("NL", "NL OSS", "goods", "DE", {"number": NL_VAT}, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "DE", REFUTED, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "DE", UNSURE, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "DE", {"number": "DE136695975"}, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "DE", {"business": True}, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL OSS", "digital", "DE", {"number": DE_VAT}, "DE", "reverse_charge", "", "reverse_charge"),
    ("NL", "NL", "digital", "BE", {"number": BE_VAT}, "BE", "reverse_charge", "", "reverse_charge"),
    ("NL", "NL", "service", "BE", {"number": BE_VAT}, "BE", "reverse_charge", "", "reverse_charge"),
    ("NL", "NL", "service", "DE", REFUTED, "NL", "standard", "VAT 0.21", "service_at_home"),
    ("NL", "NL OSS", "goods", "GB BT1 5GS", {"number": XI_VAT}, "XI", "intra_eu", "", "intra_eu"),
    ("NL", "NL", "goods", "GB BT1 5GS", {"number": GB_VAT}, "NL", "standard", "VAT 0.21", "eu_below_threshold"),
    ("NL", "NL", "digital", "DE", {"number": XI_VAT}, "NL", "standard", "VAT 0.21", "eu_below_threshold"),
    ("NL", "NL", "goods", "ES 35001", {"number": DE_VAT}, "IC", "export", "", "export"),
    # registered in the buyer's state
    ("NL", "NL DE", "goods", "DE", {}, "DE", "standard", "VAT 0.19", "registered_there"),
    ("NL", "NL DE OSS", "digital", "DE", {}, "DE", "standard", "VAT 0.19", "registered_there"),
    ("NL", "NL DE", "digital:ebook", "DE", {}, "DE", "reduced", "VAT 0.07", "registered_there"),
    ("NL", "NL PT", "goods", "PT 9500-100", {}, "PT-20", "standard", "VAT 0.16", "registered_there"),
    ("NL", "NL DE", "digital", "FR", {}, "NL", "standard", "VAT 0.21", "eu_below_threshold"),
    # the one-stop shop
    ("NL", "NL OSS", "goods", "DE", {}, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "FI", {}, "FI", "standard", "VAT 0.255", "one_stop_shop"),
    ("NL", "NL OSS", "digital", "HU", {}, "HU", "standard", "VAT 0.27", "one_stop_shop"),
    ("NL", "NL OSS", "digital:ebook", "DE", {}, "DE", "reduced", "VAT 0.07", "one_stop_shop"),
    ("NL", "NL OSS", "goods:book", "IE", {}, "IE", "zero", "VAT 0", "one_stop_shop"),
    ("NL", "NL OSS", "digital:ebook", "DK", {}, "DK", "standard", "VAT 0.25", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "PT 9000-001", {}, "PT-30", "standard", "VAT 0.22", "one_stop_shop"),
    ("NL", "NL OSS", "digital", "MC", {}, "FR", "standard", "VAT 0.2", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "GB BT1 5GS", {}, "XI", "standard", "VAT 0.2", "one_stop_shop"),
    ("NL", "NL OSS", "digital", "GB BT1 5GS", {}, "GB", "outside", "", "outside"),
    ("NL", "NL OSS", "service", "DE", {}, "NL", "standard", "VAT 0.21", "service_at_home"),
    ("NL", "NL OSS", "goods", "NL", {"deliver_to": {"country": "DE"}}, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    ("NL", "NL OSS", "goods", "DE", {"deliver_to": {"country": "NL"}}, "NL", "standard", "VAT 0.21", "home_rate"),
    ("NL", "NL OSS", "digital", "DE", {"deliver_to": {"country": "FR"}}, "DE", "standard", "VAT 0.19", "one_stop_shop"),
    # home rate within the EU
    ("NL", "NL", "goods", "DE", {}, "NL", "standard", "VAT 0.21", "eu_below_threshold"),
    ("NL", "NL", "digital", "FR", {}, "NL", "standard", "VAT 0.21", "eu_below_threshold"),
    ("NL", "NL", "digital:ebook", "FR", {}, "NL", "reduced", "VAT 0.09", "eu_below_threshold"),
    ("DE", "DE", "goods", "NL", {}, "DE", "standard", "VAT 0.19", "eu_below_threshold"),
    ("NL", "NL", "service", "FR", {}, "NL", "standard", "VAT 0.21", "service_at_home"),
    # places of member states that are outside
    ("NL", "NL OSS", "goods", "ES 35001", {}, "IC", "export", "", "export"),
    ("NL", "NL OSS", "digital", "ES 38001", {}, "IC", "outside", "", "outside"),
    ("NL", "NL OSS", "digital", "ES 51001", {}, "EA", "outside", "", "outside"),
    ("NL", "NL OSS", "goods", "FI 22100", {}, "AX", "export", "", "export"),
    ("NL", "NL OSS", "goods", "AX", {}, "AX", "export", "", "export"),
    ("NL", "NL OSS", "goods", "IT 23041", {}, "IT-LIVIGNO", "export", "", "export"),
    ("NL", "NL OSS", "goods", "DE 78266", {}, "DE-BUESINGEN", "export", "", "export"),
    ("DE", "DE OSS", "goods", "DE 27498", {}, "DE-HELIGOLAND", "export", "", "export"),
    ("NL", "NL OSS", "goods", "GR 63086", {}, "GR-69", "export", "", "export"),
    ("NL", "NL OSS", "goods", "FR 97400", {}, "RE", "export", "", "export"),
    ("NL", "NL OSS", "goods", "JE", {}, "JE", "export", "", "export"),
    ("NL", "NL GB", "digital", "GB JE2 3AB", {}, "JE", "outside", "", "outside"),
    # Britain, Norway, Switzerland, Australia, New Zealand
    ("NL", "NL", "digital", "GB", {}, "GB", "outside", "", "outside"),
    ("NL", "NL GB", "digital", "GB", {}, "GB", "standard", "VAT 0.2", "registered_there"),
    ("NL", "NL GB", "digital:ebook", "GB", {}, "GB", "zero", "VAT 0", "registered_there"),
    ("NL", "NL GB", "digital", "IM", {}, "GB", "standard", "VAT 0.2", "registered_there"),
    ("NL", "NL GB", "digital", "GB", {"number": GB_VAT}, "GB", "outside", "", "business_outside"),
    ("NL", "NL GB", "digital", "GB", {"number": DE_VAT}, "GB", "standard", "VAT 0.2", "registered_there"),
    ("NL", "NL GB", "goods", "GB", {}, "GB", "standard", "VAT 0.2", "low_value"),
    ("NL", "NL GB", "goods", "GB", {"number": GB_VAT}, "GB", "export", "", "export"),
    ("NL", "NL", "goods", "GB", {}, "GB", "export", "", "export"),
    ("NL", "NL GB", "service", "GB", {}, "NL", "standard", "VAT 0.21", "service_at_home"),
    ("NL", "NL GB", "service", "GB", {"business": True}, "GB", "outside", "", "service_outside"),
    ("NL", "NL NO", "digital", "NO", {}, "NO", "standard", "VAT 0.25", "registered_there"),
    ("NL", "NL NO", "goods:book", "NO", {}, "NO", "zero", "VAT 0", "low_value"),
    ("NL", "NL NO", "digital", "NO", {"number": NO_VAT}, "NO", "outside", "", "business_outside"),
    ("NL", "NL CH", "digital", "CH", {}, "CH", "standard", "VAT 0.081", "registered_there"),
    ("NL", "NL CH", "digital", "CH", {"number": CH_VAT}, "CH", "standard", "VAT 0.081", "registered_there"),
    ("NL", "NL CH", "goods", "LI", {}, "CH", "standard", "VAT 0.081", "registered_there"),
    ("NL", "NL", "goods", "CH", {}, "CH", "export", "", "export"),
    ("NL", "NL AU", "digital", "AU", {}, "AU", "standard", "GST 0.1", "registered_there"),
    ("NL", "NL AU", "goods", "AU", {}, "AU", "standard", "GST 0.1", "low_value"),
    ("NL", "NL AU", "digital", "AU", {"number": AU_ABN}, "AU", "outside", "", "business_outside"),
    ("NL", "NL NZ", "goods", "NZ", {}, "NZ", "standard", "GST 0.15", "low_value"),
    ("NL", "NL NZ", "digital", "NZ", {}, "NZ", "standard", "GST 0.15", "registered_there"),
    # the United States: states in which the seller is registered
    ("NL", "NL US-NY", "goods", "US 10001", {}, "US-NY", "standard", IN_NEW_YORK, "registered_there"),
    ("NL", "NL US-NY", "goods", "US 12207", {}, "US-NY", "standard", "Sales tax 0.04", "registered_there"),
    ("NL", "NL US-NY", "goods:book", "US 10001", {}, "US-NY", "zero", "Sales tax 0", "registered_there"),
    ("NL", "NL US-NY", "goods:book", "US 10025", {}, "US-NY", "standard", IN_NEW_YORK, "registered_there"),
    ("NL", "NL US-NY", "digital", "US-NY", {}, "US-NY", "standard", "Sales tax 0.04", "registered_there"),
    ("NL", "NL US-NY", "digital", "US 97201", {}, "US-OR", "outside", "", "outside"),
    ("NL", "NL US-NY", "goods", "US 97201", {}, "US-OR", "export", "", "export"),
    ("NL", "NL US-NY", "goods", "US", {}, "US", "export", "", "export"),
    ("NL", "NL US-CA", "digital", "US 94103", {}, "US-CA", "standard", "Tax 0", "registered_there"),
    ("NL", "NL US-NY", "digital", "US 10001", {"business": True}, "US-NY", "standard", IN_NEW_YORK, "registered_there"),
    ("US", "US-NY", "digital", "US 10001", {}, "US-NY", "standard", IN_NEW_YORK, "home_rate"),
    ("US", "US-NY", "goods", "US 97201", {}, "US-OR", "not_registered", "", "not_registered_there"),
    ("US", "US-NY", "goods", "DE", {}, "DE", "export", "", "export"),
    ("US", "US-NY", "digital", "DE", {}, "DE", "outside", "", "outside"),
    # Canada: the federal tax, and provinces apart
    ("CA", "CA", "goods", "CA-ON", {}, "CA-ON", "standard", "HST 0.13", "home_rate"),
    ("CA", "CA", "goods", "CA-AB", {}, "CA-AB", "standard", "GST 0.05", "home_rate"),
    ("CA", "CA CA-QC", "goods", "CA H2X 1Y4", {}, "CA-QC", "standard", "GST 0.05 + QST 0.09975", "home_rate"),
    ("CA", "CA", "goods", "CA-QC", {}, "CA-QC", "standard", "GST 0.05", "home_rate"),
    ("CA", "CA CA-BC", "digital", "CA V6B 1A1", {}, "CA-BC", "standard", "GST 0.05 + PST 0.07", "home_rate"),
    ("CA", "CA", "goods", "CA-NS", {}, "CA-NS", "standard", "HST 0.14", "home_rate"),
    ("NL", "NL CA", "digital", "CA-ON", {}, "CA-ON", "standard", "HST 0.13", "registered_there"),
    ("NL", "NL CA-QC", "digital", "CA-QC", {}, "CA-QC", "standard", "QST 0.09975", "registered_there"),
    ("NL", "NL CA-QC", "digital", "CA-ON", {}, "CA-ON", "outside", "", "outside"),
    ("NL", "NL CA CA-QC", "goods", "CA-QC", {}, "CA-QC", "export", "", "export"),
    ("NL", "NL CA", "digital", "CA", {}, "CA", "standard", "GST 0.05", "registered_there"),
    # everywhere else
    ("NL", "NL", "goods", "JP", {}, "JP", "export", "", "export"),
    ("NL", "NL", "digital", "JP", {}, "JP", "outside", "", "outside"),
    ("NL", "NL", "service", "JP", {}, "NL", "standard", "VAT 0.21", "service_at_home"),
    ("NL", "NL", "service", "JP", {"business": True}, "JP", "outside", "", "service_outside"),
    ("NL", "NL SG", "digital", "SG", {}, "SG", "standard", "GST 0.09", "registered_there"),
    ("GB", "GB", "goods", "DE", {}, "DE", "export", "", "export"),
    ("GB", "GB", "digital", "DE", {}, "DE", "outside", "", "outside"),
    ("GB", "GB DE", "digital", "DE", {}, "DE", "standard", "VAT 0.19", "registered_there"),
    ("GB", "GB DE", "goods", "DE", {}, "DE", "export", "", "export"),
    ("GB", "GB", "service", "DE", {"number": DE_VAT}, "DE", "outside", "", "service_outside"),
    ("JP", "JP", "digital", "GB", {}, "GB", "outside", "", "outside"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("home", "registered", "kind", "to", "more", "place", "treatment", "levies", "reason"),
    SITUATIONS,
    ids=[f"{home}[{registered}] {kind} to {to} {more or ''}" for home, registered, kind, to, more, *_ in SITUATIONS],
)
def test_situations(
    home: str,
    registered: str,
    kind: str,
    to: str,
    more: dict[str, Any],
    place: str,
    treatment: str,
    levies: str,
    reason: str,
) -> None:
    found = decide(
        seller(home, registered, **more.get("tax", {})), kind, to, **{k: v for k, v in more.items() if k != "tax"}
    )
    assert (found.place, found.treatment, rates(found), found.reason[0]) == (place, treatment, levies, reason)
    assert "{" not in found.reason[1]


def test_there_are_at_least_120_situations() -> None:
    assert len({str(one[:5]) for one in SITUATIONS}) == len(SITUATIONS) >= 120


def test_a_registration_counts_from_its_day_until_its_day() -> None:
    who = edition(
        tax={"registrations": [{"place": "NL"}, {"scheme": "EU-OSS", "from": "2026-01-01", "until": "2026-12-31"}]}
    ).seller
    for day, reason in (
        (date(2025, 12, 31), "eu_below_threshold"),
        (date(2026, 1, 1), "one_stop_shop"),
        (date(2026, 12, 31), "one_stop_shop"),
        (date(2027, 1, 1), "eu_below_threshold"),
    ):
        assert decide(who, "digital", "DE", day).reason[0] == reason, day


def test_a_rate_counts_from_its_day() -> None:
    who = seller("NL", "NL OSS")
    for day, rate in ((date(2025, 6, 30), "VAT 0.22"), (date(2025, 7, 1), "VAT 0.24")):
        assert rates(decide(who, "digital", "EE", day)) == rate
    for day, rate in ((date(2025, 12, 31), "VAT 0.14"), (date(2026, 1, 1), "VAT 0.135")):
        assert rates(decide(who, "goods:book", "FI", day)) == rate


def test_a_well_formed_number_is_enough_where_the_site_says_so() -> None:
    who = seller("NL", "NL OSS", business_proof="well_formed")
    assert decide(who, "digital", "DE", number=DE_VAT, confirmed=None).treatment == "reverse_charge"
    assert decide(who, "digital", "DE", number=DE_VAT, confirmed=False).treatment == "standard"
    assert decide(who, "digital", "DE", number="DE136695975", confirmed=None).treatment == "standard"


@pytest.mark.parametrize(
    ("number", "confirmed", "code"),
    [
        ("DE136695975", None, "number_malformed"),
        (DE_VAT, None, "number_unconfirmed"),
        (DE_VAT, False, "number_invalid"),
    ],
)
def test_a_number_that_does_not_count_says_why(number: str, confirmed: bool | None, code: str) -> None:
    found = decide(seller("NL", "NL OSS"), "digital", "DE", number=number, confirmed=confirmed)
    assert [note[0] for note in found.notes] == [code]


def test_untaxed_amounts_lose_the_home_tax_of_what_they_count_as() -> None:
    who = seller("NL", "NL")
    assert decide(who, "goods", "JP").deduct == (21, 100)
    assert decide(who, "goods:book", "JP").deduct == (9, 100)
    assert decide(seller("NL", "NL", when_untaxed="keep"), "goods", "JP").deduct is None
    for zero in (decide(seller("CZ", "CZ"), "goods:book", "CZ"), decide(seller("NL", "", **E), "goods", "NL")):
        assert zero.deduct is None


def test_what_was_not_checked_says_so() -> None:
    assert decide(seller("NL", "NL"), "goods:book", "NL").reason[1].endswith("(Rate from memory.)")
    assert "memory" not in decide(seller("NL", "NL"), "goods", "NL").reason[1]
