"""What buyers have said that they give back, at the desk: looked after one by one."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import AfterValidator, BaseModel, Field, model_validator

from skurrow.core.bounds import printable
from skurrow.service.orders import give_backs
from skurrow.store.orders.give_backs import GiveBackRow
from skurrow.web.access import Means, Selling, Site
from skurrow.web.desk.bodies import Given, ModeName
from skurrow.web.routes import desk_router

router = desk_router()


class AskedBackView(BaseModel):
    """A buyer's word, as they typed it. `order` is the order that it is of, where its code and their address fit;
    `typed_order` is what they wrote in its place."""

    id: UUID
    code: str
    order: str | None
    typed_order: str
    name: str
    email: str
    what: str
    words: str
    at: datetime
    state: Literal["open", "done", "declined"]
    answer: str
    decided_at: datetime | None
    decided_by: str | None


class GiveBackDecision(Given):
    """It is done, or declined with an answer to the buyer."""

    state: give_backs.Decision
    answer: Annotated[str, Field(max_length=1000), AfterValidator(printable)] = ""

    @model_validator(mode="after")
    def _says_why(self) -> GiveBackDecision:
        if self.state == "declined" and not self.answer.strip():
            raise ValueError("needs an answer to the buyer; write why it is not taken back")
        return self


@router.get("/sites/{site}/books/{mode}/give-backs")
async def show_give_backs(mode: ModeName, at: Site, context: Means) -> list[AskedBackView]:
    """What buyers give back, what waits for a person first."""
    return [_view(row) for row in await give_backs.listed(context, at.site_id, mode)]


@router.post("/sites/{site}/books/{mode}/give-backs/{row}")
async def decide_give_back(
    mode: ModeName, row: UUID, body: GiveBackDecision, at: Selling, context: Means
) -> AskedBackView:
    """Somebody has looked after it."""
    by, answer = at.person.id, body.answer.strip()
    return _view(await give_backs.decide(context, at.site_id, mode, row, by, body.state, answer))


def _view(row: GiveBackRow) -> AskedBackView:
    return AskedBackView(
        id=row.id,
        code=row.code,
        order=row.order_code,
        typed_order=row.typed_order,
        name=row.name,
        email=row.email,
        what=row.what,
        words=row.words,
        at=row.at,
        state=row.state,
        answer=row.answer,
        decided_at=row.decided_at,
        decided_by=row.decided_by,
    )
