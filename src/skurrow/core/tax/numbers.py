"""Tax numbers of businesses: whose they are, and whether their form and check digits are right.

Form and check digits are python-stdnum's work. Whether a number is anybody's is asked of the official look-up, by
whoever has a network.

>>> read("NL 0044.95.445.B01", "NL")
TaxNumber(country='NL', written='NL004495445B01')
>>> read("CHE-107.787.577 MWST", "CH"), read("DE136695975", "DE"), read("EL 123456783", "GR")
(TaxNumber(country='CH', written='CHE107787577MWST'), None, TaxNumber(country='GR', written='EL123456783'))
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

from stdnum.au import abn
from stdnum.ca import bn
from stdnum.ch import vat as ch_vat
from stdnum.eu import vat as eu_vat
from stdnum.exceptions import ValidationError
from stdnum.gb import vat as gb_vat
from stdnum.no import mva
from stdnum.nz import ird

from skurrow.core.countries import EU

ASKED_IN = EU | {"GB", "CH", "LI", "NO", "AU", "NZ", "MC", "IM"}
"""Countries in which a business's number changes its tax, and is asked for."""


class TaxNumber(NamedTuple):
    """A well-formed number, as it is written without spaces, and the country (or XI) that gave it."""

    country: str
    written: str


_ELSEWHERE: dict[str, Callable[[str], str]] = {
    "GB": gb_vat.validate,
    "IM": gb_vat.validate,
    "CH": ch_vat.validate,
    "LI": ch_vat.validate,
    "NO": mva.validate,
    "AU": abn.validate,
    "NZ": ird.validate,
    "CA": bn.validate,
}

LONGEST = 60
"""Characters of a number with its spaces and points: more than twice what the longest has."""


@lru_cache(maxsize=4096)
def read(text: str, country: str) -> TaxNumber | None:
    """A number as a buyer of a country typed it; None where its form or check digits are wrong."""
    if len(text) > LONGEST:
        return None
    compact = "".join(c for c in text.upper() if c.isalnum())
    prefix = compact[:2]
    try:
        if prefix == "EL" or prefix in EU:
            return TaxNumber("GR" if prefix == "EL" else prefix, eu_vat.validate(compact))
        if prefix == "XI":
            gb_vat.validate(compact[2:])
            return TaxNumber("XI", compact)
        own = "FR" if country == "MC" else country
        if own in EU:
            written = "EL" if own == "GR" else own
            return TaxNumber(own, eu_vat.validate(written + compact))
        validate = _ELSEWHERE.get(own)
        return None if validate is None else TaxNumber({"IM": "GB", "LI": "CH"}.get(own, own), validate(compact))
    except ValidationError:
        return None
