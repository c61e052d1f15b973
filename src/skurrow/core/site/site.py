"""Who sells, from which website, and in which currencies."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated
from zoneinfo import ZoneInfo

from pydantic import AfterValidator

from skurrow.core.site.values import (
    Colour,
    Country,
    CurrencyCode,
    Frozen,
    Name,
    PictureName,
    Rate,
    WebAddress,
    known_time_zone,
)


class Site(Frozen):
    """Who sells, and from which website; `colour` and `logo` are the brand's, used at the counter, in mails and on
    papers. `currency_chooser` says whether
    buyers may change the currency there, or pay in the one of their country or their link."""

    name: Name
    url: WebAddress
    country: Country
    time_zone: Annotated[str, AfterValidator(known_time_zone)]
    colour: Colour = "#2F4858"
    logo: PictureName | None = None
    currency_chooser: bool = True

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
