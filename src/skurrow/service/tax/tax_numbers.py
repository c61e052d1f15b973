"""Asking the official look-up whether a business's tax number is anybody's. A sale never waits for it for long."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Literal
from uuid import UUID

import httpx
import structlog

from skurrow.core.tax.numbers import read
from skurrow.gateway.protocol import Mode
from skurrow.service.context import Context
from skurrow.store.book import Book
from skurrow.store.database import site_transaction
from skurrow.store.tax import tax_numbers
from skurrow.store.tax.tax_numbers import TaxNumberCheck

_log = structlog.get_logger()
SECONDS = 4.0
"""How long the look-up has to answer while a buyer waits."""

MOST_A_MINUTE = 120
"""How often the look-up is asked for a site: somebody who tries out numbers gets no answers after that."""

FRESH = timedelta(days=1)
"""How long an answer counts."""

State = Literal["malformed", "valid", "invalid", "no_answer"]


@dataclass(frozen=True, slots=True)
class Checked:
    """What is known of a number that a buyer typed: as it is written, and the look-up's answer with its name and
    reference."""

    number: str
    state: State
    name: str | None = None
    reference: str | None = None

    @property
    def confirmed(self) -> bool | None:
        """The same as an order says it."""
        return {"valid": True, "invalid": False}.get(self.state)


async def ask(context: Context, site_id: UUID, mode: Mode, typed: str, country: str) -> Checked:
    """What the look-up says of a number; answers are kept, and asked for once a day."""
    number = read(typed, country)
    if number is None:
        return Checked(typed.strip(), "malformed")
    async with site_transaction(context.pool, site_id) as db:
        book = Book(db, site_id, mode)
        known = await known_answer(context, book, typed, country)
        lately = await tax_numbers.checks_since(book, context.now() - timedelta(minutes=1))
    if known.state in ("valid", "invalid") or lately >= MOST_A_MINUTE:
        return known
    answer = await _look_up(context, number.written)
    check = TaxNumberCheck(
        context.new_id(), mode, number.written, answer.state, answer.name, answer.reference, context.now()
    )
    async with site_transaction(context.pool, site_id) as db:
        await tax_numbers.add_check(db, site_id, check)
    return answer


async def known_answer(context: Context, book: Book, typed: str, country: str) -> Checked:
    """What has been answered about a number lately, without asking."""
    number = read(typed, country)
    if number is None:
        return Checked(typed.strip(), "malformed")
    found = await tax_numbers.newest_check(book, number.written, context.now() - FRESH)
    if found is None:
        return Checked(number.written, "no_answer")
    state: State = "valid" if found.answer == "valid" else "invalid" if found.answer == "invalid" else "no_answer"
    return Checked(number.written, state, found.name, found.reference)


async def _look_up(context: Context, number: str) -> Checked:
    try:
        async with httpx.AsyncClient(base_url=context.settings.tax_numbers_url, timeout=SECONDS) as client:
            response = await client.get(f"/check/{number}")
            response.raise_for_status()
            data = response.json()
            registered = data["registered"]
            if not isinstance(registered, bool):
                raise TypeError("no answer to what was asked")
    except (httpx.HTTPError, ValueError, KeyError, TypeError) as error:
        _log.warning("tax_number.no_answer", why=type(error).__name__)
        return Checked(number, "no_answer")
    return Checked(number, "valid" if registered else "invalid", data.get("name"), data.get("reference"))
