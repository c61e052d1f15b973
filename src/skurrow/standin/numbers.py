"""The stand-in for the official look-up of tax numbers. It knows made-up businesses only.

A number whose digits hold 9990 is registered, one that holds 9991 gets no answer in time, every other one is not
registered. Run it with `python -m skurrow.standin.numbers --help`.
"""

from __future__ import annotations

import argparse
import asyncio
import uuid
from datetime import UTC, datetime

import uvicorn
from fastapi import FastAPI

SILENCE = 60.0
"""Seconds for which the look-up does not answer where it does not."""

_FIRST = ("Paper", "Thread", "Willow", "Harbour", "Linen", "Copper", "Lantern", "Meadow", "Quarry", "Sparrow")
_SECOND = ("Works", "Atelier", "Bindery", "Press", "Studio", "Guild", "Loft", "Rooms")


def make_app(silence: float = SILENCE) -> FastAPI:
    """The look-up: `/check/{number}` answers whether a number is registered, with a reference for the asker's books."""
    app = FastAPI(title="Stand-in look-up of tax numbers", docs_url=None, redoc_url=None, openapi_url=None)

    @app.get("/health")
    def health() -> dict[str, str]:
        return {"state": "answering"}

    @app.get("/check/{number}")
    async def check(number: str) -> dict[str, object]:
        digits = "".join(c for c in number if c.isdigit())
        if "9991" in digits:
            await asyncio.sleep(silence)
        registered = "9990" in digits
        mark = sum(map(ord, number))
        name = f"{_FIRST[mark % len(_FIRST)]} {_SECOND[mark % len(_SECOND)]}" if registered else None
        return {
            "number": number,
            "registered": registered,
            "name": name,
            "reference": uuid.uuid4().hex[:16].upper(),
            "at": datetime.now(UTC).isoformat(timespec="seconds"),
        }

    return app


def main() -> None:
    """Runs the look-up."""
    parser = argparse.ArgumentParser(description="The stand-in look-up of tax numbers.")
    parser.add_argument("--port", type=int, required=True)
    arguments = parser.parse_args()
    uvicorn.run(
        make_app(),
        host="127.0.0.1",
        port=arguments.port,
        log_level="warning",
        access_log=False,
        timeout_graceful_shutdown=1,
    )


if __name__ == "__main__":
    main()
