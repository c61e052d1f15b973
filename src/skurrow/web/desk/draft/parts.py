"""The parts of the draft: listed in pages, shown, edited, archived; and the prices there are to choose from."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import Query, Response
from pydantic import BaseModel, Field

from skurrow.core.draft.changes import differences, label, merged
from skurrow.core.edition import Edition, PricedProduct
from skurrow.core.money import format_amount
from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.draft import archived, catalogue, configuration
from skurrow.service.draft.configuration import Clash
from skurrow.service.people.roles import beyond_texts, may
from skurrow.service.refusals import Conflict, NotAllowed, NotFound
from skurrow.store.draft.sites import PartRow
from skurrow.web.access import AtSite, Configuring, Means, Site, Wording
from skurrow.web.desk.bodies import Given
from skurrow.web.problems import ProblemDetails, problem
from skurrow.web.routes import desk_router

router = desk_router()

ListKind = Literal["product", "coupon", "checkout", "stand_in_buyer"]
SingleKind = Literal["site", "currencies", "tax", "delivery", "papers", "mails", "payments", "subscriptions"]
PartKind = SingleKind | ListKind
_NOTHING_YET: dict[str, dict[str, object]] = {
    "delivery": {"zones": []},
    "papers": {},
    "mails": {},
    "payments": {},
    "subscriptions": {},
}
"""Parts that a site may do without, as they are then shown."""


class Part(BaseModel):
    """A part of the draft as the site file writes it; `change` is to be sent back with an edit as `seen`."""

    kind: PartKind
    id: str
    change: int
    at: datetime
    body: Any


class Edit(Given):
    """A new state of a part. `seen` is the change that the editor saw, 0 for a new part."""

    seen: Annotated[int, Field(ge=0)]
    body: dict[str, Any] | list[dict[str, Any]]


class AmountView(BaseModel):
    """What a price costs in a currency; converted from the base, or the owner's own."""

    currency: str
    amount: str
    converted: bool


class PriceAmounts(BaseModel):
    """A price with its amounts in every currency of the site, the base first; `words` names it in a list."""

    price: str
    product: str
    name: str
    words: str
    kind: Literal["once", "recurring", "instalments", "free"]
    amounts: list[AmountView]


class PartView(BaseModel):
    """A part with the prices that belong to it: a product's own, the one that a checkout sells."""

    part: Part
    prices: list[PriceAmounts]
    name: str


class PartLineView(BaseModel):
    """A part in a list."""

    id: str
    name: str
    words: str
    change: int


class PartList(BaseModel):
    """A page of a list; `next` is the cursor of the following page, `total` how many there are that fit."""

    parts: list[PartLineView]
    next: str | None
    total: int


class ArchivedView(BaseModel):
    """A part that was archived by a change: what it was called, when, and by whom."""

    id: str
    name: str
    change: int
    at: datetime
    by: str | None


class RunningView(BaseModel):
    """How many subscriptions go on, of real and of test buyers."""

    live: int
    test: int


class TakeBackRequest(Given):
    """The change by which the edit was made."""

    change: Annotated[int, Field(ge=1)]


class ClashRow(BaseModel):
    """One thing in which two edits differ: as it was before both, mine and theirs. `clash`: both have changed it."""

    what: str
    before: str | None
    mine: str | None
    theirs: str | None
    clash: bool


class ClashView(BaseModel):
    """An edit that came too late: the part as it is now, whose edit that was, both versions beside each other, and
    the two in one."""

    current: Part
    by: str | None
    rows: list[ClashRow]
    both: Any


class ClashProblem(ProblemDetails):
    """The answer to an edit that came too late."""

    current: ClashView


def price_amounts(edition: Edition, priced: PricedProduct) -> PriceAmounts:
    """A price as the desk shows it."""
    return PriceAmounts(
        price=priced.price.id,
        product=priced.product.id,
        name=priced.product.desk_name,
        words=catalogue.price_words(edition, priced),
        kind=priced.price.kind,
        amounts=[
            AmountView(
                currency=code,
                amount=format_amount(priced.amounts[code], code),
                converted=code in priced.converted,
            )
            for code in edition.currencies
        ],
    )


def part_view(row: PartRow) -> Part:
    """A part as the desk is told of it."""
    return Part.model_validate(
        {"kind": row.kind, "id": row.part_id, "change": row.change, "at": row.at, "body": row.body}
    )


@router.get("/sites/{site}/parts/{kind}")
async def list_parts(
    kind: ListKind,
    at: Site,
    context: Means,
    search: Annotated[str, Query(max_length=200)] = "",
    after: Annotated[str | None, Query(max_length=100)] = None,
) -> PartList:
    """A page of the draft's parts of a kind, in their order."""
    page = await catalogue.page(context, at.site_id, kind, search, after)
    lines = [PartLineView(id=o.id, name=o.name, words=o.words, change=o.change) for o in page.lines]
    return PartList(parts=lines, next=page.next, total=page.total)


@router.get("/sites/{site}/parts/{kind}/{part_id}")
async def show_part(kind: PartKind, part_id: str, at: Site, context: Means) -> PartView:
    """One part of the draft."""
    state, row = await catalogue.part(context, at.site_id, kind, part_id)
    if row is None and kind in _NOTHING_YET:
        row = PartRow(kind, "-", 0, 0, _NOTHING_YET[kind], context.now())
    if row is None:
        raise NotFound(f"there is no {kind.replace('_', ' ')} “{part_id}”")
    edition = state.edition
    ids: list[str] = []
    if kind == "product":
        ids = [price["id"] for price in row.body["prices"]]
    elif kind == "checkout":
        ids = row.body.get("prices", [])
    body = row.body if isinstance(row.body, dict) else {}
    name = str(body.get("owner_name") or body.get("name") or part_id)
    return PartView(part=part_view(row), prices=[price_amounts(edition, edition.prices[one]) for one in ids], name=name)


@router.put("/sites/{site}/parts/{kind}/{part_id}", response_model=Part, responses={409: {"model": ClashProblem}})
async def edit_part(kind: PartKind, part_id: str, body: Edit, at: Wording, context: Means) -> Part | Response:
    """Writes a part into the draft."""
    if isinstance(body.body, list) != (kind == "currencies"):
        message, remedy = "A list stands where fields belong", "Send an object with the fields of this part"
        if kind == "currencies":
            message, remedy = "Fields stand where a list belongs", "Send the list of the currencies"
        raise InvalidInput([Problem(("body",), message, remedy, "shape")])
    content = {**body.body, "id": part_id} if isinstance(body.body, dict) and part_id != "-" else body.body
    await _check_rights(context, at, kind, part_id, content)
    return await _edit(context, at, kind, part_id, body.seen, content)


@router.delete("/sites/{site}/parts/{kind}/{part_id}", response_model=Part)
async def archive_part(
    kind: ListKind, part_id: str, seen: Annotated[int, Query(ge=1)], at: Configuring, context: Means
) -> Part | Response:
    """Archives a part: it is not sold or shown any more, and can be brought back."""
    return await _edit(context, at, kind, part_id, seen, None)


@router.get("/sites/{site}/archived/{kind}")
async def list_archived(kind: ListKind, at: Site, context: Means) -> list[ArchivedView]:
    """The archived parts of a kind, the last first."""
    return [
        ArchivedView(id=one.id, name=one.name, change=one.change, at=one.at, by=one.by_name)
        for one in await archived.archived(context, at.site_id, kind)
    ]


@router.get("/sites/{site}/products/{product_id}/running")
async def count_running(product_id: str, at: Site, context: Means) -> RunningView:
    """How many subscriptions of a product go on, and would go on if it were archived."""
    return RunningView.model_validate(
        {"live": 0, "test": 0, **await archived.running_on(context, at.site_id, product_id)}
    )


@router.post("/sites/{site}/parts/{kind}/{part_id}/taken-back", response_model=Part)
async def take_edit_back(kind: PartKind, part_id: str, body: TakeBackRequest, at: Configuring, context: Means) -> Part:
    """Takes one edit of a part back, however long ago it was made: an archived part is there again."""
    return part_view(await archived.take_back(context, at.site_id, at.person.id, kind, part_id, body.change))


@router.get("/sites/{site}/prices")
async def list_prices(
    at: Site, context: Means, search: Annotated[str, Query(max_length=200)] = "", unsold: bool = False
) -> list[PriceAmounts]:
    """Prices to choose from, the first twenty that fit; or only those that no checkout sells."""
    state = await configuration.draft(context, at.site_id)
    found = await catalogue.prices(context, at.site_id, search, unsold)
    return [price_amounts(state.edition, one) for one in found]


async def _check_rights(context: Means, at: AtSite, kind: str, part_id: str, body: Any) -> None:
    """Whoever may change wording only is told what else the edit would change."""
    if may(at.role, "configure"):
        return
    _, row = await catalogue.part(context, at.site_id, kind, part_id)
    beyond = beyond_texts(kind, row.body if row else None, body)
    if beyond:
        raise NotAllowed(f"An owner changes wording only. Ask a developer to change: {', '.join(beyond[:5])}.")


async def _edit(context: Means, at: AtSite, kind: str, part_id: str, seen: int, body: Any) -> Part | Response:
    try:
        row = await configuration.edit_part(context, at.site_id, at.person.id, kind, part_id, seen, body)
    except Conflict as conflict:
        if not isinstance(conflict.current, Clash):
            raise
        view = _clash(conflict.current, body).model_dump(mode="json")
        return problem(409, "Changed in the meantime", str(conflict), current=view)
    return part_view(row)


def _clash(clash: Clash, mine: Any) -> ClashView:
    theirs = clash.current.body
    both = merged(clash.seen_body, mine, theirs)
    ours, others = ({one.path: one for one in differences(clash.seen_body, side)} for side in (mine, theirs))
    rows = []
    for path in [*ours, *(path for path in others if path not in ours)]:
        my, their = ours.get(path), others.get(path)
        before = (my or their).before  # type: ignore[union-attr]
        rows.append(
            ClashRow(
                what=label(path),
                before=before,
                mine=my.after if my else before,
                theirs=their.after if their else before,
                clash=any(path[: len(one)] == one or one[: len(path)] == path for one in both.clashes),
            )
        )
    return ClashView(current=part_view(clash.current), by=clash.by_name, rows=rows, both=both.body)
