"""Moving members over from elsewhere."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, Field

from skurrow.core.subscriptions.members_csv import told
from skurrow.service.subscriptions import moving_over
from skurrow.web.access import Configuring, Means
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.routes import desk_router

router = desk_router()


class MembersRequest(Given):
    """A CSV file of members that are moved over; in a `dry` run nothing is stored."""

    text: Annotated[str, Field(max_length=8_000_000)]
    dry: bool = True


class MemberRow(BaseModel):
    """What a row begins."""

    row: int
    email: str
    what: str


class MemberProblem(BaseModel):
    """What is wrong in a row and a column."""

    row: int
    column: str
    message: str
    remedy: str


class MembersView(BaseModel):
    """What a file would begin, or has begun (`done`)."""

    done: bool
    rows: list[MemberRow]
    problems: list[MemberProblem]


@router.post("/sites/{site}/books/{mode}/members.csv")
async def move_members_over(mode: ModeName, body: MembersRequest, at: Configuring, context: Means) -> MembersView:
    """Shows what a CSV file of members would begin, row by row; or begins it, all or nothing."""
    found = await moving_over.move_over(context, at.site_id, mode, body.text, at.person.id, body.dry)
    return MembersView(
        done=found.done,
        rows=[MemberRow(row=one.row, email=one.cells["email"], what=told(one)) for one in found.members],
        problems=[
            MemberProblem(row=one.row, column=one.column, message=one.message, remedy=one.remedy)
            for one in found.problems
        ],
    )
