"""The stand-in for two official services: the look-up of tax numbers, and a bank's daily exchange rates.

The look-up knows made-up businesses only.

A number whose digits hold 9990 is registered, one that holds 9991 gets no answer in time, every other one is not
registered. Run it with `python -m skurrow.standin.numbers --help`.
"""

from __future__ import annotations

import argparse
import asyncio
import uuid
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

import uvicorn
from fastapi import FastAPI

SILENCE = 60.0
"""Seconds for which the look-up does not answer where it does not."""

_FIRST = ("Paper", "Thread", "Willow", "Harbour", "Linen", "Copper", "Lantern", "Meadow", "Quarry", "Sparrow")
_SECOND = ("Works", "Atelier", "Bindery", "Press", "Studio", "Guild", "Loft", "Rooms")


_MIDDLE = {
    "USD": "1.0800",
    "GBP": "0.8600",
    "JPY": "170.00",
    "CHF": "0.9400",
    "NOK": "11.700",
    "SEK": "11.200",
    "DKK": "7.4600",
    "PLN": "4.2700",
    "CZK": "25.000",
    "HUF": "395.00",
    "RON": "5.0500",
    "AUD": "1.6800",
    "NZD": "1.8500",
    "CAD": "1.5000",
}
"""About what one euro is, made up; each day's rate lies within one percent of it."""


def rates_of(day: date) -> dict[str, str]:
    """The bank's rates of a day, units for one euro; none on Saturdays and Sundays."""
    if day.weekday() >= 5:
        return {}
    found = {}
    for n, (currency, middle) in enumerate(_MIDDLE.items()):
        sway = Decimal((day.toordinal() * 37 + n * 11) % 21 - 10) / 1000
        found[currency] = str((Decimal(middle) * (1 + sway)).quantize(Decimal(middle)))
    return found


def make_app(silence: float = SILENCE) -> FastAPI:
    """The look-up: `/check/{number}` answers whether a number is registered, with a reference for the asker's books."""
    app = FastAPI(title="Stand-in look-up of tax numbers", docs_url=None, redoc_url=None, openapi_url=None)

    @app.get("/health")
    def health() -> dict[str, str]:
        return {"state": "answering"}

    @app.get("/rates")
    def rates(since: date) -> dict[str, object]:
        """What was published since a day, at most a month back; the day's rates are out at its beginning."""
        today = datetime.now(UTC).date()
        days = [today - timedelta(days=n) for n in range(31)]
        return {"days": {day.isoformat(): rates_of(day) for day in reversed(days) if day >= since and rates_of(day)}}

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
