"""An edition with one part changed, at a cost that does not grow with the site.

What is computed here is what `check` and `compile_site` compute for the whole site; a test compares the two. The
parts that everything else hangs on (the site itself, currencies, tax) are few and seldom edited: for those the
whole is checked again.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from skurrow.core.check.checkouts import checkout_problems
from skurrow.core.check.coupons import coupon_problems
from skurrow.core.check.known import Known
from skurrow.core.check.products import content_problems, product_problems
from skurrow.core.check.site import without_not_yet
from skurrow.core.check.stand_in_buyers import stand_in_buyer_problems
from skurrow.core.edition import Edition, PricedProduct, automatic_of, priced, priced_coupon
from skurrow.core.problems import InvalidInput, Problem, problems_of
from skurrow.core.site.checkouts import Checkout
from skurrow.core.site.coupons import Coupon
from skurrow.core.site.known_names import KNOWN_NAMES
from skurrow.core.site.products import Product
from skurrow.core.site.stand_in_buyers import StandInBuyer
from skurrow.core.site.values import Frozen
from skurrow.core.site.whole import LISTS, PARTS


def can_apply(kind: str) -> bool:
    """Whether a part of this kind can be changed by itself."""
    return kind in LISTS


def with_part(edition: Edition, kind: str, part_id: str, body: dict[str, Any] | None) -> Edition:
    """The edition with a part of a list put in place of the one with its id, added at the end, or (None) removed.

    Raises InvalidInput: paths within the part, or the whole path of another part that would not fit any more.
    """
    part = None if body is None else read_part(kind, body)
    if part is not None and part.id != part_id:  # type: ignore[attr-defined]
        raise InvalidInput([Problem(("id",), f"This part is called “{part_id}”", "Leave its id as it is")])
    listed, places = _placed(edition, LISTS[kind], part_id, part)
    changed = replace(edition, site=edition.site.model_copy(update={LISTS[kind]: listed}), places=places)
    if kind == "product":
        assert part is None or isinstance(part, Product)
        return _with_product(edition, changed, part_id, part)
    if kind == "coupon":
        assert part is None or isinstance(part, Coupon)
        return _with_coupon(edition, changed, part_id, part)
    problems: list[Problem] = []
    if isinstance(part, Checkout):
        problems = list(checkout_problems(edition.site, edition.prices, part, ()))
    elif isinstance(part, StandInBuyer):
        problems = list(stand_in_buyer_problems(edition.site, part, ()))
    if problems:
        raise InvalidInput(problems)
    if kind == "checkout":
        return replace(changed, checkouts={one.id: one for one in changed.site.checkouts})
    return replace(changed, stand_in_buyers={one.id: one for one in changed.site.stand_in_buyers})


def read_part(kind: str, body: dict[str, Any]) -> Frozen:
    """A part of a list from its data, checked by itself. Raises InvalidInput, with paths within the part."""
    name = LISTS[kind]
    problems, computable = without_not_yet(body, (name, "*"))
    try:
        part = PARTS[kind].model_validate(computable)
    except ValidationError as error:
        known = {**KNOWN_NAMES, "": KNOWN_NAMES[name]}
        raise InvalidInput([*problems, *problems_of(error, known)]) from None
    if problems:
        raise InvalidInput(problems)
    return part


def _placed(
    edition: Edition, name: str, part_id: str, part: Frozen | None
) -> tuple[list[Frozen], dict[str, dict[str, int]]]:
    """The list with the part in it, and the places of all."""
    listed, places = list(getattr(edition.site, name)), edition.places[name]
    at = places.get(part_id)
    if part is not None and at is not None:
        listed[at] = part
        return listed, edition.places
    if part is not None:
        return [*listed, part], {**edition.places, name: {**places, part_id: len(listed)}}
    if at is not None:
        del listed[at]
    return listed, {**edition.places, name: {one.id: i for i, one in enumerate(listed)}}


def _with_coupon(edition: Edition, changed: Edition, part_id: str, coupon: Coupon | None) -> Edition:
    coupons = {name: one for name, one in edition.coupons.items() if name != part_id or coupon is not None}
    if coupon is not None:
        products = {name: edition.site.products[i] for name, i in edition.places["products"].items()}
        problems = [*coupon_problems(edition.site, products, coupon, ())]
        if any(name != part_id and name.casefold() == part_id.casefold() for name in edition.coupons):
            message = f"Another coupon is already called “{part_id}”"
            problems.append(Problem(("id",), message, "Give it a name of its own", "taken"))
        if problems:
            raise InvalidInput(problems)
        coupons[part_id] = priced_coupon(edition.site, coupon)
    return replace(changed, coupons=coupons, automatic=automatic_of(changed.site.coupons))


def _with_product(edition: Edition, changed: Edition, part_id: str, product: Product | None) -> Edition:
    problems = [] if product is None else [*product_problems(changed.site, product, ())]
    mine: dict[str, PricedProduct] = {}
    if product is not None:
        problems += _taken_prices(edition, product)
        if problems:
            raise InvalidInput(problems)
        mine = {one.price.id: one for one in priced(changed.site, product)}
    before = edition.product(part_id)
    gone = set() if before is None else {price.id for price in before.prices} - mine.keys()
    prices = {**edition.prices, **mine}
    for price in gone:
        del prices[price]
    if product is not None:
        problems += content_problems(prices, product, ())
    problems += _orphaned_checkouts(edition, gone | {name for name, one in mine.items() if not one.price.offered})
    problems += _broken_bundles(changed, prices, part_id, gone | mine.keys())
    problems += _pointless_coupons(changed, part_id, product)
    if problems:
        raise InvalidInput(problems)
    bundles = edition.bundles - {part_id} if product is None or not product.contains else edition.bundles | {part_id}
    return replace(changed, prices=prices, bundles=bundles)


def _taken_prices(edition: Edition, product: Product) -> Iterator[Problem]:
    seen: set[str] = set()
    for j, price in enumerate(product.prices):
        other = edition.prices.get(price.id)
        if price.id in seen or (other is not None and other.product.id != product.id):
            message = f"Another price is already called “{price.id}”"
            yield Problem(("prices", j, "id"), message, "Give it a name of its own", "taken")
        seen.add(price.id)


def _orphaned_checkouts(edition: Edition, gone: set[str]) -> Iterator[Problem]:
    """Checkouts that sell what would not be there, or not be offered, any more."""
    if not gone:
        return
    for i, checkout in enumerate(edition.site.checkouts):
        for j, price in enumerate(checkout.prices):
            if price in gone:
                message = f"The checkout “{checkout.name}” sells the price “{price}”"
                remedy = "Have the checkout sell another price first, or archive it"
                yield Problem(("checkouts", i, "prices", j), message, remedy, "in_use")


def _broken_bundles(
    changed: Edition, prices: Mapping[str, Known], part_id: str, touched: Collection[str]
) -> Iterator[Problem]:
    """Other products that hold a price of this one, and could not any more."""
    for name in changed.bundles - {part_id}:
        bundle = changed.product(name)
        if bundle is None or not any(one.price in touched for one in bundle.contains):
            continue
        at = changed.places["products"][name]
        for problem in content_problems(prices, bundle, ("products", at)):
            message = f"The bundle “{bundle.name}” holds it: {problem.message}"
            yield Problem(problem.path, message, "Change the bundle first, or archive it", "in_use")


def _pointless_coupons(changed: Edition, part_id: str, product: Product | None) -> Iterator[Problem]:
    """Coupons that name this product, where it is gone or nothing of it is charged any more."""
    if product is not None and any(price.kind != "free" for price in product.prices):
        return
    for i, coupon in enumerate(changed.site.coupons):
        if coupon.only is None or part_id not in coupon.only:
            continue
        others = [one for name in coupon.only if name != part_id and (one := changed.product(name)) is not None]
        if product is None or not any(price.kind != "free" for one in others for price in one.prices):
            message = f"The coupon “{coupon.desk_name}” is for this product"
            remedy = "Name other products in the coupon first, or archive it"
            yield Problem(("coupons", i, "only"), message, remedy, "in_use")
