"""Bank transfers: statements are uploaded, and what could not be matched is looked at."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from fastapi import Query, Request, status
from pydantic import AfterValidator, BaseModel, Field

from skurrow.core.bounds import printable
from skurrow.core.problems import InvalidInput, Problem
from skurrow.service.orders import statements, transfers
from skurrow.web.access import Means, Selling, Site
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.desk.orders.order_views import TransferLine, transfer_line
from skurrow.web.routes import desk_router

router = desk_router()


class StatementView(BaseModel):
    """A statement that was uploaded, how much money came in by it, and how much of that was new."""

    name: str
    format: Literal["camt.053", "MT940"]
    entries: int
    new_entries: int
    at: datetime


class TransferList(BaseModel):
    """A page of what came in; `next` is the cursor of the following page. `statements` are the newest uploads."""

    transfers: list[TransferLine]
    statements: list[StatementView]
    next: UUID | None


class TakenView(BaseModel):
    """What came of a statement."""

    format: Literal["camt.053", "MT940"]
    entries: int
    new: int
    matched: int
    aside: int


class TransferDecision(Given):
    """It pays an order (`take`; the one it names, or `order`), or a person is done with it otherwise."""

    decision: Literal["take", "done"]
    order: Annotated[str, Field(max_length=20)] | None = None
    note: Annotated[str, Field(max_length=500), AfterValidator(printable)] = ""


@router.get("/sites/{site}/books/{mode}/transfers")
async def list_transfers(
    mode: ModeName, at: Site, context: Means, before: UUID | None = None, aside: bool = False
) -> TransferList:
    """Money that came in, the newest first: all of it, or what is set aside."""
    found, following = await transfers.page(context, at.site_id, mode, before, aside)
    uploaded = [] if before else await transfers.uploaded(context, at.site_id, mode)
    return TransferList(
        transfers=[transfer_line(row) for row in found],
        statements=[StatementView.model_validate(row, from_attributes=True) for row in uploaded],
        next=following,
    )


@router.post("/sites/{site}/books/{mode}/statements")
async def take_statement(
    mode: ModeName, at: Selling, context: Means, request: Request, name: Annotated[str, Query(max_length=200)] = ""
) -> TakenView:
    """Reads a bank statement (the body is the file: camt.053 or MT940) and matches what is new in it."""
    content = b""
    async for chunk in request.stream():
        content += chunk
        if len(content) > statements.LARGEST_FILE:
            message = "The file is larger than 5 MB"
            raise InvalidInput([Problem(("file",), message, "Have your bank send it in parts", "too_large")])
    found = await transfers.take_statement(context, at.site_id, mode, name, content, at.person.id)
    return TakenView.model_validate(found, from_attributes=True)


@router.post("/sites/{site}/books/{mode}/transfers/{transfer}/decision", status_code=status.HTTP_204_NO_CONTENT)
async def decide_transfer(mode: ModeName, transfer: UUID, body: TransferDecision, at: Selling, context: Means) -> None:
    """What becomes of money that was set aside."""
    await transfers.decide(context, at.site_id, mode, transfer, body.decision, body.order, body.note, at.person.id)
