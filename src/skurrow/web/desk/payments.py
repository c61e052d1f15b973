"""Gateways: connecting them and asking whether they answer."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Annotated, Any, Literal
from uuid import UUID

from fastapi import APIRouter, status
from pydantic import BaseModel, Field

from skurrow.core.money import divide_half_up, format_amount
from skurrow.gateway.protocol import Credentials
from skurrow.gateway.registry import ABILITIES, NAMES
from skurrow.service import gateways, reconciling
from skurrow.store.reconciliations import ReconciliationRow
from skurrow.web.access import Configuring, Means, Site
from skurrow.web.desk.bodies import Given, ModeName

router = APIRouter()


class ConnectRequest(Given):
    """What connects a gateway in one mode."""

    mode: ModeName
    merchant: Annotated[str, Field(min_length=1, max_length=120)]
    key: Annotated[str, Field(min_length=1, max_length=500)]


class ConnectionView(BaseModel):
    """A connected gateway, and how many charges it is still asked about. The key is never shown again."""

    id: UUID
    mode: ModeName
    merchant: str
    connected_at: datetime
    currencies: list[str]
    waiting: int = 0


class GatewayView(BaseModel):
    """A gateway that can be connected: what it can do, its cost, and its connections."""

    adapter: str
    name: str
    page: str
    abilities: dict[str, bool]
    fee_percent: str | None
    fee_fixed: str | None
    fee_example: str | None
    connections: list[ConnectionView]


class AnswerView(BaseModel):
    """What came of asking a gateway."""

    asked_at: datetime
    answers: bool
    problem: str | None
    last_event_at: datetime | None


@router.get("/sites/{site}/gateways")
async def list_gateways(at: Site, context: Means) -> list[GatewayView]:
    """The gateways there are, and how they are connected."""
    rows = await gateways.connected(context, at.site_id)
    waiting = await gateways.waiting(context, at.site_id)
    views = []
    for adapter, name in NAMES.items():
        mine = [row for row in rows if row.adapter == adapter]
        account = mine[0].account if mine else None
        views.append(
            GatewayView(
                adapter=adapter,
                name=name,
                page=context.settings.gateways[adapter].browser,
                abilities={ability: getattr(ABILITIES[adapter], ability) for ability in ABILITIES[adapter].__slots__},
                fee_percent=account and account["fee_percent"],
                fee_fixed=account and account["fee_fixed"],
                fee_example=account and fee_of_fifty(account),
                connections=[
                    ConnectionView(
                        id=row.id,
                        mode="live" if row.mode == "live" else "test",
                        merchant=row.merchant,
                        connected_at=row.connected_at,
                        currencies=list(row.account["currencies"]),
                        waiting=waiting.get(row.id, 0),
                    )
                    for row in mine
                ],
            )
        )
    return views


@router.post("/sites/{site}/gateways/{adapter}/connections", status_code=status.HTTP_201_CREATED)
async def connect_gateway(adapter: str, body: ConnectRequest, at: Configuring, context: Means) -> ConnectionView:
    """Connects a gateway once it has answered, in place of an earlier connection in this mode."""
    credentials = Credentials(body.merchant.strip(), body.key.strip())
    row = await gateways.connect(context, at.site_id, adapter, body.mode, credentials)
    return ConnectionView(
        id=row.id,
        mode=body.mode,
        merchant=row.merchant,
        connected_at=row.connected_at,
        currencies=list(row.account["currencies"]),
    )


@router.delete("/sites/{site}/connections/{connection}", status_code=status.HTTP_204_NO_CONTENT)
async def disconnect_gateway(connection: UUID, at: Configuring, context: Means) -> None:
    """Ends a connection; what was paid through it stays, and can be given back."""
    await gateways.disconnect(context, at.site_id, connection)


@router.post("/sites/{site}/connections/{connection}/questions")
async def ask_gateway(connection: UUID, at: Site, context: Means) -> AnswerView:
    """Asks a connected gateway whether it answers."""
    answer = await gateways.ask(context, at.site_id, connection)
    return AnswerView(
        asked_at=answer.asked_at,
        answers=answer.account is not None,
        problem=answer.problem,
        last_event_at=answer.last_event_at,
    )


class BookDifference(BaseModel):
    """What differs: only at the gateway, only in our books, or by its amount."""

    code: Literal["only_there", "only_here", "amount"]
    kind: Literal["charge", "refund", "dispute"]
    key: str
    currency: str
    ours: str | None
    theirs: str | None
    order: str | None


class BooksCompared(BaseModel):
    """A comparison of our books with a gateway's: the span, how many movements it has there, and what differs."""

    at: datetime
    since: datetime
    until: datetime
    entries: int
    differences: list[BookDifference]


@router.get("/sites/{site}/connections/{connection}/comparison")
async def last_comparison(connection: UUID, at: Site, context: Means) -> BooksCompared | None:
    """The newest comparison with a gateway's books."""
    found = await reconciling.last(context, at.site_id, connection)
    return None if found is None else _comparison(found)


@router.post("/sites/{site}/connections/{connection}/comparisons")
async def compare_books(connection: UUID, at: Configuring, context: Means) -> BooksCompared:
    """Compares with a gateway's books now."""
    return _comparison(await reconciling.compare(context, at.site_id, connection))


def _comparison(found: ReconciliationRow) -> BooksCompared:
    def money(amount: int | None, currency: str) -> str | None:
        return None if amount is None else format_amount(amount, currency)

    return BooksCompared(
        at=found.at,
        since=found.since,
        until=found.until,
        entries=found.entries,
        differences=[
            BookDifference.model_validate(
                {
                    **one,
                    "ours": money(one["ours"], one["currency"]),
                    "theirs": money(one["theirs"], one["currency"]),
                }
            )
            for one in found.differences
        ],
    )


def fee_of_fifty(account: dict[str, Any]) -> str:
    """The fee of a charge of 50.00, in words of the trade: 2.9 % + 0.30 makes 1.75."""
    share = Decimal(account["fee_percent"]) * 5000
    numerator, denominator = share.as_integer_ratio()
    fixed = int(Decimal(account["fee_fixed"]) * 100)
    return format_amount(divide_half_up(numerator, denominator * 100) + fixed, "EUR")
