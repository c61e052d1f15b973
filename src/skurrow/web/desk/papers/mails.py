"""Mails to buyers at the desk: which there are, how they will arrive, and one sent for trial."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import Query, status
from pydantic import BaseModel, Field

from skurrow.core.site.mails import ABOUT, FACTS, Group, MailKind
from skurrow.service.mail.mail_words import MAILS
from skurrow.service.tape import mail_previews
from skurrow.web.access import Configuring, Means, Site
from skurrow.web.desk.bodies import Given
from skurrow.web.routes import desk_router

router = desk_router()

Language = Literal["en", "de", "nl"]
"""Those in which mails are written; a test lays it beside the words that there are."""


class FactView(BaseModel):
    """What own sentences may name, as it is typed, with what it is."""

    typed: str
    name: str


class MailKindView(BaseModel):
    """A mail: its name, when it goes out, what its own sentences may name, and the subject it has by language."""

    kind: MailKind
    group: Group
    name: str
    when: str
    facts: list[FactView]
    subjects: dict[str, str]


class MailPreview(BaseModel):
    """A mail as it will arrive for a stand-in buyer, about a sale of `things`; `attached` is what comes with it. Its
    page holds its pictures."""

    sender: str
    reply_to: str
    to: str
    subject: str
    text: str
    page: str
    attached: list[str]
    things: str


class Trial(Given):
    """For whom a mail is made out that is tried, in which language, about which price if it can be about that."""

    buyer: Annotated[str, Field(max_length=60)]
    language: Language = "en"
    price: Annotated[str, Field(max_length=60)] | None = None


@router.get("/sites/{site}/mails")
async def mails(at: Site) -> list[MailKindView]:
    """All mails that buyers get."""
    del at
    return [
        MailKindView(
            kind=kind,
            group=about.group,
            name=about.name,
            when=about.when,
            facts=[FactView(typed=f"{{{name}}}", name=FACTS[name]) for name in about.facts],
            subjects={language: words[kind].subject for language, words in MAILS.items()},
        )
        for kind, about in ABOUT.items()
    ]


@router.get("/sites/{site}/mails/{kind}")
async def mail_preview(kind: MailKind, at: Site, context: Means, asked: Annotated[Trial, Query()]) -> MailPreview:
    """A mail as the draft would send it. 404 where nothing is sold that it could be about."""
    found = await mail_previews.preview(context, at.site_id, kind, asked.buyer, asked.language, asked.price)
    return MailPreview.model_validate(found, from_attributes=True)


@router.post("/sites/{site}/mails/{kind}/trial", status_code=status.HTTP_204_NO_CONTENT)
async def try_mail(kind: MailKind, body: Trial, at: Configuring, context: Means) -> None:
    """Mails it to whoever asks."""
    me = at.person
    await mail_previews.on_trial(context, at.site_id, me.id, me.email, kind, body.buyer, body.language, body.price)
