"""The names that a site file may write, by the part they stand in: for advice where one is misspelt."""

from __future__ import annotations

from skurrow.core.site.site import (
    Checkout,
    Chosen,
    Content,
    Coupon,
    Currency,
    Delivery,
    Ends,
    Exempt,
    Frozen,
    Guard,
    Method,
    OwnRate,
    Papers,
    Payments,
    Picture,
    Price,
    Product,
    Quantity,
    Registration,
    Site,
    SiteFile,
    StandInBuyer,
    Start,
    Subscriptions,
    Tax,
    ValueStep,
    Variant,
    WayToPay,
    WeightStep,
    Zone,
)

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
    "stand_in_buyers": StandInBuyer,
}


KNOWN_NAMES = {
    owner: [field.alias or name for name, field in model.model_fields.items()] for owner, model in _MODELS.items()
}
