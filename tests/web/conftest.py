"""The real application over a test's database, spoken to in HTTP."""

from __future__ import annotations

from collections.abc import AsyncIterator
from dataclasses import dataclass
from typing import Any

import httpx
import pytest

from skurrow.run.demo import EMAIL
from skurrow.web.app import make_app
from tests.conftest import PASSWORD, Shop, settings_for

ORIGIN = {"origin": "http://localhost:8400"}


@dataclass
class Web:
    """The application with its demo: `desk` and `counter` speak to its two host names."""

    desk: httpx.AsyncClient
    counter: httpx.AsyncClient
    shop: Shop
    app: Any

    async def sign_in(self) -> None:
        """Signs the desk's client in."""
        answer = await self.desk.post("/desk/api/session", json={"email": EMAIL, "password": PASSWORD})
        assert answer.status_code == 204


@pytest.fixture
async def web(shop: Shop) -> AsyncIterator[Web]:
    app = make_app(settings_for(shop.database, shop.cards))
    transport = httpx.ASGITransport(app, raise_app_exceptions=False)
    async with (
        app.router.lifespan_context(app),
        httpx.AsyncClient(transport=transport, base_url="http://localhost:8400", headers=ORIGIN) as desk,
        httpx.AsyncClient(transport=transport, base_url="http://counter.localhost:8400") as counter,
    ):
        await app.state.context.pool.wait()
        yield Web(desk, counter, shop, app)
