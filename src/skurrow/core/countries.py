"""Countries by ISO 3166-1, and which of them belong to the European Union's VAT territory.

Names come from CLDR at the edges (see `skurrow.web`); here are only codes. The list of codes is ISO 3166-1
alpha-2 and is checked against CLDR in tests/reference.

>>> "NL" in COUNTRIES, "EU" in COUNTRIES, "GR" in EU, "GB" in EU
(True, False, True, False)
"""

from __future__ import annotations

from functools import cache
from importlib import resources

COUNTRIES = frozenset(
    """
    AD AE AF AG AI AL AM AO AQ AR AS AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BQ BR BS
    BT BV BW BY BZ CA CC CD CF CG CH CI CK CL CM CN CO CR CU CV CW CX CY CZ DE DJ DK DM DO DZ EC EE
    EG EH ER ES ET FI FJ FK FM FO FR GA GB GD GE GF GG GH GI GL GM GN GP GQ GR GS GT GU GW GY HK HM
    HN HR HT HU ID IE IL IM IN IO IQ IR IS IT JE JM JO JP KE KG KH KI KM KN KP KR KW KY KZ LA LB LC
    LI LK LR LS LT LU LV LY MA MC MD ME MF MG MH MK ML MM MN MO MP MQ MR MS MT MU MV MW MX MY MZ NA
    NC NE NF NG NI NL NO NP NR NU NZ OM PA PE PF PG PH PK PL PM PN PR PS PT PW PY QA RE RO RS RU RW
    SA SB SC SD SE SG SH SI SJ SK SL SM SN SO SR SS ST SV SX SY SZ TC TD TF TG TH TJ TK TL TM TN TO
    TR TT TV TW TZ UA UG UM US UY UZ VA VC VE VG VI VN VU WF WS YE YT ZA ZM ZW
    """.split()
)

EU = frozenset(
    """
    AT BE BG CY CZ DE DK EE ES FI FR GR HR HU IE IT LT LU LV MT NL PL PT RO SE SI SK
    """.split()
)
"""Member states. Their codes here are ISO's: Greece is GR."""

_NEIGHBOURS = {
    "AT": "DE CH", "AU": "NZ GB", "BE": "NL FR", "BG": "RO GR", "CA": "US GB", "CH": "DE FR", "CY": "GR GB",
    "CZ": "DE SK", "DE": "AT FR", "DK": "SE DE", "EE": "FI LV", "ES": "FR PT", "FI": "SE EE", "FR": "BE DE",
    "GB": "IE FR", "GR": "CY DE", "HR": "SI DE", "HU": "AT SK", "IE": "GB FR", "IS": "DK NO", "IT": "FR DE",
    "LI": "CH AT", "LT": "LV PL", "LU": "BE DE", "LV": "LT EE", "MT": "IT GB", "NL": "BE DE", "NO": "SE DK",
    "NZ": "AU US", "PL": "DE CZ", "PT": "ES FR", "RO": "HU DE", "SE": "DK FI", "SI": "AT IT", "SK": "CZ AT",
    "US": "CA GB",
}  # fmt: skip
"""Two countries each from which a shop there is likely to be bought from, for its first stand-in buyers."""


def neighbours(country: str) -> tuple[str, str]:
    """Two other countries whose buyers a seller is likely to have.

    >>> neighbours("BE"), neighbours("JP")
    (('NL', 'FR'), ('US', 'GB'))
    """
    first, second = _NEIGHBOURS.get(country, "US GB").split()
    return first, second


@cache
def time_zones() -> dict[str, tuple[str, ...]]:
    """The time zones of each country, the one where most of its people live first, as far as that goes with the map.

    Source: `zone.tab` of the IANA time zone database, as the package tzdata ships it.

    >>> time_zones()["BE"], time_zones()["US"][0]
    (('Europe/Brussels',), 'America/New_York')
    """
    found: dict[str, tuple[str, ...]] = {}
    text = (resources.files("tzdata") / "zoneinfo" / "zone.tab").read_text("utf-8")
    for line in text.splitlines():
        if line and not line.startswith("#"):
            country, _, zone = line.split("\t")[:3]
            found[country] = (*found.get(country, ()), zone)
    return found
