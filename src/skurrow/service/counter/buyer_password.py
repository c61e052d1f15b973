"""A password that is typed at a checkout, kept until it is proved to be its customer's."""

from __future__ import annotations

from uuid import UUID

from skurrow.core.mailboxes import mailbox
from skurrow.service.context import Context
from skurrow.service.people.sign_in import hash_password
from skurrow.service.refusals import TooMany
from skurrow.store.account import accounts
from skurrow.store.account.accounts import TypedPassword
from skurrow.store.book import Book
from skurrow.store.database import site_transaction


async def password_at_checkout(
    context: Context, site_id: UUID, mode: str, visit: UUID, email: str, password: str
) -> None:
    """Keeps a password that was typed at a checkout by whoever has just opened its charge, until it is proved. The
    first one of a visit stays. Where too much is asked at once it is not kept: a mailed link lets in all the same."""
    try:
        hashed = await context.lanes.customers.run(hash_password, password)
    except TooMany:
        return
    async with site_transaction(context.pool, site_id) as db:
        row = TypedPassword(hashed, visit)
        await accounts.keep_typed(Book(db, site_id, mode), mailbox(email), row, context.now())
