"""Work at a site of the installation that runs here, or of the one that SKURROW_… in the environment names."""

from __future__ import annotations

import asyncio
import os
from collections.abc import Awaitable, Callable, Mapping
from pathlib import Path
from typing import TypeVar
from uuid import UUID

from skurrow.run.installation import ROOT, noted
from skurrow.service.context import Context, Settings, open_context
from skurrow.service.draft import site_files
from skurrow.service.draft.site_files import Applied
from skurrow.service.people import passwords
from skurrow.service.refusals import Conflict, NotFound
from skurrow.store.database import DATABASE_AWAY, siteless_transaction
from skurrow.store.draft import sites

T = TypeVar("T")


class NotDone(Exception):
    """It was not done; the message says why, and what to do."""


def export(code: str | None) -> str:
    """The site file of a site's draft. Raises NotDone."""
    return _run(code, site_files.export)


def apply(code: str | None, text: str, files: Mapping[str, bytes], seen: int | None) -> Applied:
    """Loads a site file as the draft if `seen` is the change that was shown; without it, only shows what would change.

    Raises InvalidInput with every error, NotDone.
    """

    async def work(context: Context, site_id: UUID) -> Applied:
        return await site_files.apply(context, site_id, None, text, files, seen=seen, show_only=seen is None)

    return _run(code, work)


def set_password(email: str, password: str) -> None:
    """Sets the password of somebody of the desk, for whoever has this machine. Raises InvalidInput, NotDone."""

    async def work() -> None:
        async with open_context(_settings()) as context:
            await passwords.set_by_command(context, email, password)

    try:
        asyncio.run(work())
    except NotFound as error:
        raise NotDone(str(error).capitalize() + ".") from None
    except DATABASE_AWAY:
        raise NotDone("Skurrow's database does not answer. Run ./start first, and leave it running.") from None


def _run(code: str | None, work: Callable[[Context, UUID], Awaitable[T]]) -> T:
    async def at_site() -> T:
        async with open_context(_settings()) as context:
            async with siteless_transaction(context.pool) as db:
                site_id = await sites.site_called(db, code)
            if site_id is None:
                raise NotFound(f"There is no site “{code}”." if code else "There are several sites: say --site CODE.")
            return await work(context, site_id)

    try:
        return asyncio.run(at_site())
    except (Conflict, NotFound) as error:
        raise NotDone(str(error)) from None
    except DATABASE_AWAY:
        raise NotDone("Skurrow's database does not answer. Run ./start first, and leave it running.") from None


def _settings() -> Settings:
    if "SKURROW_DATABASE_URL" in os.environ:
        return Settings.from_environment()
    installation = noted(Path(os.environ.get("SKURROW_STATE", ROOT / ".skurrow")))
    if installation is None:
        raise NotDone("Skurrow has never run here. Run ./start first, and leave it running.")
    return Settings.from_environment(installation.environment)
