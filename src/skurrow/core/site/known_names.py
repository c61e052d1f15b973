"""The names that a site file may write, by the part they stand in: for advice where one is misspelt."""

from __future__ import annotations

from skurrow.core.site.checkouts import Checkout, CheckoutDiscount
from skurrow.core.site.coupons import Coupon
from skurrow.core.site.delivery import Delivery, Method, ValueStep, WeightStep, Zone
from skurrow.core.site.mails import Mails, OwnMail
from skurrow.core.site.papers import Papers
from skurrow.core.site.payments import Guard, Payments, WayToPay
from skurrow.core.site.products import Chosen, Content, Ends, Picture, Price, Product, Quantity, Start, Variant
from skurrow.core.site.site import Currency, Site
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.site.subscriptions import Subscriptions
from skurrow.core.site.tax import Exempt, OwnRate, Registration, Tax
from skurrow.core.site.values import Frozen
from skurrow.core.site.whole import SiteFile

_MODELS: dict[str, type[Frozen]] = {
    "": SiteFile,
    "site": Site,
    "currencies": Currency,
    "tax": Tax,
    "registrations": Registration,
    "rates": OwnRate,
    "exempt": Exempt,
    "delivery": Delivery,
    "papers": Papers,
    "mails": Mails,
    "own": OwnMail,
    "payments": Payments,
    "ways": WayToPay,
    "guards": Guard,
    "subscriptions": Subscriptions,
    "zones": Zone,
    "methods": Method,
    "by_weight": WeightStep,
    "by_value": ValueStep,
    "products": Product,
    "prices": Price,
    "quantity": Quantity,
    "start": Start,
    "ends": Ends,
    "chosen": Chosen,
    "variants": Variant,
    "picture": Picture,
    "contains": Content,
    "coupons": Coupon,
    "checkouts": Checkout,
    "discount": CheckoutDiscount,
    "stand_in_buyers": StandInBuyer,
}
KNOWN_NAMES = {
    owner: [field.alias or name for name, field in model.model_fields.items()] for owner, model in _MODELS.items()
}
