"""Messages that gateways send. They are verified and stored here, and handled by the worker."""

from __future__ import annotations

from uuid import UUID

from fastapi import Request, status

from skurrow.service.orders import gateway_events
from skurrow.web.access import Means
from skurrow.web.routes import new_router

router = new_router(tag="gateways")


@router.post("/gateway-events/{connection}", status_code=status.HTTP_202_ACCEPTED)
async def receive(connection: UUID, request: Request, context: Means) -> None:
    """Takes a signed message (Standard Webhooks); one that comes again changes nothing."""
    body = await request.body()
    await gateway_events.receive_event(context, connection, dict(request.headers), body)
