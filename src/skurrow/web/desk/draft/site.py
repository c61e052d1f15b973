"""A site at the desk: how its draft stands, what was edited, releases made, looked through and gone back to."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Annotated, Literal

from fastapi import status
from pydantic import BaseModel, Field

from skurrow.core.draft.changes import Difference
from skurrow.service.counter.opening import on_this_machine
from skurrow.service.draft import configuration, going_live, releases
from skurrow.service.draft.configuration import SiteState
from skurrow.service.tax import tax
from skurrow.store.draft.sites import PartRow, ReleaseRow
from skurrow.web.access import AtSite, Configuring, Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.routes import desk_router

router = desk_router()


class ReleaseView(BaseModel):
    """A release."""

    number: int
    change: int
    at: datetime
    by: str | None
    note: str


class StageView(BaseModel):
    """A stage of the work order: how it stands, in a word and in a few."""

    stage: str
    state: Literal["not_begun", "in_work", "ready", "attention", "later"]
    words: str
    attention: int


class SiteView(BaseModel):
    """A site: its draft against its last release. `change` is the newest change of the draft, `changed` how many
    parts were edited since the last release, `role` what the person is there, `pictures` where its pictures are;
    `selling` whether new orders are taken, with how many parts are `stopped`; `aside` how much could not be handled.
    Before `live_since` whoever comes may buy for a test if `everybody_tries` or the website is `on_this_machine`;
    `has_sold`: there are orders of real buyers; `account` is the page where customers find what they have bought,
    `price_list` the open list of what can be bought."""

    code: str
    role: Literal["developer", "owner", "onlooker"]
    name: str
    url: str
    change: int
    changed: int
    stages: list[StageView]
    release: ReleaseView | None
    live_since: datetime | None
    archived_at: datetime | None
    everybody_tries: bool
    on_this_machine: bool
    has_sold: bool
    currencies: list[str]
    country: str
    time_zone: str
    pictures: str
    account: str
    price_list: str
    selling: Literal["opened", "closed", "stopped"]
    stopped: int
    aside: int


class ReleaseRequest(Given):
    """`seen` is the change up to which the draft was looked through; `note` says what the release is about."""

    seen: int
    note: Annotated[str, Field(max_length=200)] = ""


class FindingView(BaseModel):
    """One thing that would go wrong, what to do about it, at which room; `hinders`: the site is not opened with it."""

    code: str
    message: str
    remedy: str
    room: str
    hinders: bool


class OpenRequest(Given):
    """`seen` are the codes of what was looked at and is to be so all the same."""

    seen: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=40)] = Field(default_factory=list)


class TryRequest(Given):
    """Whether whoever comes may buy for a test."""

    everybody: bool


class BackRequest(Given):
    """Going back: `seen` is the number of the last release when that was decided."""

    seen: int


class PartName(Given):
    """A part of the site."""

    kind: Annotated[str, Field(max_length=40)]
    id: Annotated[str, Field(max_length=80)]


class DraftBackRequest(Given):
    """Making the draft what a release was: `seen` is the change of the draft when that was decided, `only` the parts
    that are meant, where it is not all of them."""

    release: int
    seen: int
    only: Annotated[list[PartName], Field(max_length=1000)] | None = None


class DifferenceView(BaseModel):
    """One thing that differs; a value that is not there is null."""

    what: str
    before: str | None
    after: str | None


class PartReviewView(BaseModel):
    """A part that a release would change, and how. When going back, `in_draft` says whether the draft is the same as
    that release already, would bring `back` what buyers meet now, or was `edited` since, too."""

    kind: str
    id: str
    name: str
    state: Literal["new", "changed", "archived"]
    in_draft: Literal["same", "back", "edited"]
    differences: list[DifferenceView]


class EffectView(BaseModel):
    """One change that a buyer would meet at a checkout."""

    checkout: str
    name: str
    kind: Literal["amount", "page", "new", "gone"]
    what: str
    before: str | None
    after: str | None


class BuyerReviewView(BaseModel):
    """What would change for a stand-in buyer."""

    id: str
    name: str
    effects: list[EffectView]


class RemarkView(BaseModel):
    """Something to know before real buyers meet this; a `wrong` one has to be put right."""

    words: str
    wrong: bool


class ReviewView(BaseModel):
    """What a release would change. `change` is what was looked through, `head` the draft's; `more_parts` and `left_out`
    checkouts were too many to be told one by one."""

    change: int
    head: int
    parts: list[PartReviewView]
    more_parts: int
    buyers: list[BuyerReviewView]
    left_out: int
    remarks: list[RemarkView]


class EditView(BaseModel):
    """An edit of the draft: what it changed, who made it and when."""

    change: int
    kind: str
    id: str
    name: str
    at: datetime
    by: str | None
    archived: bool
    differences: list[DifferenceView]


class Touched(BaseModel):
    """How many parts were touched."""

    parts: int


@router.get("/sites/{site}")
async def show_site(at: Site, context: Means) -> SiteView:
    """How the site stands."""
    return await _site_view(context, at)


@router.get("/sites/{site}/review")
async def review_release(at: Site, context: Means, release: int | None = None) -> ReviewView:
    """What releasing the draft would change; or, with a number, going back to that release."""
    found = await releases.look_through(context, at.site_id, release)
    remarks = await tax.before_release(context, at.site_id) if release is None else []
    return ReviewView(
        remarks=[
            *(RemarkView(words=words, wrong=False) for words in found.jumps),
            *(RemarkView(words=one.words, wrong=one.wrong) for one in remarks),
        ],
        change=found.change,
        head=found.head,
        parts=[
            PartReviewView(
                kind=one.part.kind,
                id=one.part.part_id,
                name=_part_name(one.part),
                state="archived" if one.part.body is None else "new" if one.new else "changed",
                in_draft=one.in_draft,
                differences=_differences(one.differences),
            )
            for one in found.parts
        ],
        more_parts=found.more_parts,
        buyers=[
            BuyerReviewView(
                id=one.buyer.id,
                name=one.buyer.name,
                effects=[EffectView.model_validate(effect, from_attributes=True) for effect in one.effects],
            )
            for one in found.buyers.buyers
        ],
        left_out=found.buyers.left_out,
    )


@router.get("/sites/{site}/releases")
async def list_releases(at: Site, context: Means, before: int | None = None) -> list[ReleaseView]:
    """A page of the site's releases, the newest first."""
    return [_release_view(one) for one in await releases.history(context, at.site_id, before)]


@router.post("/sites/{site}/releases", status_code=status.HTTP_201_CREATED)
async def make_release(body: ReleaseRequest, at: Configuring, context: Means) -> SiteView:
    """Releases the draft: from now on live buyers meet it."""
    await releases.release(context, at.site_id, at.person.id, body.seen, body.note.strip())
    return await _site_view(context, at)


@router.post("/sites/{site}/releases/{number}/again", status_code=status.HTTP_201_CREATED)
async def go_back(number: int, body: BackRequest, at: Configuring, context: Means) -> SiteView:
    """Releases once more what an earlier release was. The draft stays as it is."""
    await releases.go_back(context, at.site_id, at.person.id, number, body.seen)
    return await _site_view(context, at)


@router.post("/sites/{site}/draft/back")
async def put_draft_back(body: DraftBackRequest, at: Configuring, context: Means) -> Touched:
    """Makes the draft what a release was, as one change."""
    only = None if body.only is None else {(one.kind, one.id) for one in body.only}
    touched = await releases.put_draft_back(context, at.site_id, at.person.id, body.release, body.seen, only)
    return Touched(parts=touched)


@router.get("/sites/{site}/edits")
async def list_edits(at: Site, context: Means, before: int | None = None) -> list[EditView]:
    """A page of the draft's edits, the newest first."""
    return [
        EditView(
            change=told.edit.change,
            kind=told.edit.kind,
            id=told.edit.part_id,
            name=_name(told.edit.body, told.edit.part_id),
            at=told.edit.at,
            by=told.edit.by_name,
            archived=told.edit.body is None,
            differences=_differences(told.differences),
        )
        for told in await configuration.recent_edits(context, at.site_id, before)
    ]


@router.get("/sites/{site}/opening")
async def look_at_opening(at: Site, context: Means) -> list[FindingView]:
    """What would go wrong if the site were opened for real buyers now; what hinders it comes first."""
    return [FindingView.model_validate(asdict(one)) for one in await going_live.look(context, at.site_id)]


@router.post("/sites/{site}/live-buyers")
async def open_for_real_buyers(body: OpenRequest, at: Configuring, context: Means) -> SiteView:
    """Opens the site for real buyers; they meet the last release."""
    await going_live.go_live(context, at.site_id, body.seen)
    return await _site_view(context, at)


@router.put("/sites/{site}/everybody-tries")
async def let_everybody_try(body: TryRequest, at: Configuring, context: Means) -> SiteView:
    """Before the site is opened, whoever comes may buy for a test; or only who brings the test pass."""
    await going_live.let_everybody_try(context, at.site_id, body.everybody)
    return await _site_view(context, at)


async def _site_view(context: Means, at: AtSite) -> SiteView:
    state: SiteState = await configuration.site_state(context, at.site_id)
    return SiteView.model_validate(
        {
            "code": state.row.code,
            "role": at.role,
            "name": state.name,
            "url": state.url,
            "change": state.row.head_change,
            "changed": state.changed,
            "stages": [
                StageView(stage=s.stage, state=s.state, words=s.words, attention=s.attention) for s in state.stages
            ],
            "release": state.release and _release_view(state.release),
            "account": f"{context.settings.counter_url}/account/{state.row.code}",
            "price_list": f"{context.settings.counter_url}/counter/prices/{state.row.code}",
            "live_since": state.row.live_since,
            "archived_at": state.row.archived_at,
            "everybody_tries": state.row.everybody_tries,
            "on_this_machine": on_this_machine(state.edition),
            "has_sold": state.has_sold,
            "pictures": f"/pictures/{at.site_id}",
            "currencies": list(state.edition.currencies),
            "country": state.edition.site.site.country,
            "time_zone": state.edition.site.site.zone.key,
            "selling": state.selling,
            "stopped": state.stopped,
            "aside": state.aside,
        }
    )


def _release_view(made: ReleaseRow) -> ReleaseView:
    return ReleaseView(number=made.number, change=made.change, at=made.at, by=made.by_name, note=made.note)


def _differences(found: list[Difference]) -> list[DifferenceView]:
    return [DifferenceView(what=one.what, before=one.before, after=one.after) for one in found]


def _part_name(part: PartRow) -> str:
    return _name(part.body, part.part_id)


def _name(body: object, part_id: str) -> str:
    named = body if isinstance(body, dict) else {}
    return str(named.get("owner_name") or named.get("name") or ("" if part_id == "-" else part_id))
