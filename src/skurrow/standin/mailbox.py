"""The stand-in mailbox: takes every mail by SMTP, whoever it is for, and shows it on a page. Nothing is sent on.

Mails are kept in a maildir. Run it with `python -m skurrow.standin.mailbox --help`.
"""

from __future__ import annotations

import argparse
import asyncio
import email.policy
import html
import mailbox
import re
from base64 import b64encode
from datetime import UTC, datetime
from email.message import EmailMessage
from email.parser import BytesParser
from pathlib import Path
from typing import Any

import uvicorn
from aiosmtpd.controller import UnthreadedController
from fastapi import FastAPI, HTTPException
from fastapi.responses import HTMLResponse, Response
from jinja2 import Environment, FileSystemLoader, select_autoescape
from markupsafe import Markup

_PAGES = Environment(loader=FileSystemLoader(Path(__file__).parent / "pages"), autoescape=select_autoescape(["html"]))
_ADDRESS = re.compile(r"https?://[^\s<>\"']+")
_MOST_SHOWN = 200


class Box:
    """A maildir, and what it holds."""

    def __init__(self, folder: Path) -> None:
        folder.parent.mkdir(parents=True, exist_ok=True)
        self._mails = mailbox.Maildir(folder, factory=None, create=True)
        self._known: dict[str, dict[str, Any]] = {}

    def put(self, content: bytes, to: list[str]) -> None:
        """Keeps a mail with the addresses it was handed over for; one that is here already is not kept twice."""
        parsed = BytesParser(policy=email.policy.default).parsebytes(content)
        known = parsed["Message-ID"]
        if known and any(self._shown(key)["message"] == known for key in self._mails.iterkeys()):
            return
        kept = mailbox.MaildirMessage(content)
        kept["X-Handed-Over-For"] = ", ".join(to)
        self._mails.add(kept)

    def newest(self) -> list[dict[str, Any]]:
        """The newest mails first."""
        found = [self._shown(key) for key in self._mails.iterkeys()]
        return sorted(found, key=lambda mail: str(mail["at"]), reverse=True)[:_MOST_SHOWN]

    def _parsed(self, key: str) -> EmailMessage:
        found = BytesParser(policy=email.policy.default).parsebytes(self._mails.get_bytes(key))
        assert isinstance(found, EmailMessage)
        return found

    def attached(self, key: str, name: str) -> tuple[str, bytes] | None:
        """The media type and the content of what is attached to a mail under a name."""
        if key not in self._mails:
            return None
        for part in self._parsed(key).iter_attachments():
            if part.get_filename() == name:
                return part.get_content_type(), bytes(part.get_payload(decode=True) or b"")
        return None

    def _shown(self, key: str) -> dict[str, Any]:
        """A mail as it is listed; it never changes, so it is read once."""
        if key not in self._known:
            self._known[key] = self._read(key)
        return dict(self._known[key])

    def _read(self, key: str) -> dict[str, Any]:
        mail = self._parsed(key)
        body = mail.get_body(("plain", "html"))
        date = mail["Date"].datetime if mail["Date"] else datetime.now(UTC)
        return {
            "id": key,
            "to": str(mail["To"] or mail["X-Handed-Over-For"]),
            "from": str(mail["From"]),
            "subject": str(mail["Subject"]),
            "at": date.astimezone(UTC).isoformat(timespec="seconds"),
            "text": body.get_content() if body else "",
            "has_page": mail.get_body(("html",)) is not None,
            "message": str(mail["Message-ID"] or ""),
            "reply_to": str(mail["Reply-To"] or ""),
            "attached": [str(part.get_filename()) for part in mail.iter_attachments()],
        }

    def page(self, key: str) -> str | None:
        """The HTML of a mail, if it has one, with the pictures in it that came with it (RFC 2392)."""
        if key not in self._mails:
            return None
        mail = self._parsed(key)
        found = mail.get_body(("html",))
        if found is None:
            return None
        shown = str(found.get_content())
        for part in mail.walk():
            name = str(part["Content-ID"] or "").strip("<>")
            if name and part.get_content_maintype() == "image":
                content = b64encode(bytes(part.get_payload(decode=True) or b"")).decode()
                shown = shown.replace(f"cid:{name}", f"data:{part.get_content_type()};base64,{content}")
        return shown


class _Taking:
    """What the SMTP server does with a mail."""

    def __init__(self, box: Box) -> None:
        self._box = box

    async def handle_DATA(self, _server: object, _session: object, envelope: Any) -> str:
        await asyncio.to_thread(self._box.put, envelope.content, list(envelope.rcpt_tos))
        return "250 Kept"


def make_app(box: Box) -> FastAPI:
    """The page, and the mails as JSON."""
    app = FastAPI(title="Stand-in mailbox", docs_url=None, redoc_url=None, openapi_url=None)

    @app.get("/health")
    def health() -> dict[str, str]:
        return {"state": "answering"}

    @app.get("/mails")
    def mails() -> list[dict[str, Any]]:
        return box.newest()

    @app.get("/")
    def page() -> HTMLResponse:
        shown = [{**mail, "text": _linked(mail["text"])} for mail in box.newest()]
        return HTMLResponse(_PAGES.get_template("mailbox.html").render(mails=shown, chosen=None))

    @app.get("/mail/{key}/page")
    def as_page(key: str) -> HTMLResponse:
        """A mail as mail programs show it: without scripts, and with nothing loaded from elsewhere."""
        found = box.page(key)
        if found is None:
            raise HTTPException(404, "There is no such mail, or it has no HTML.")
        policy = "default-src 'none'; style-src 'unsafe-inline'; img-src data:; "
        policy += "sandbox allow-top-navigation-by-user-activation"
        return HTMLResponse(found, headers={"Content-Security-Policy": policy})

    @app.get("/mail/{key}/attached/{name}")
    def attachment(key: str, name: str) -> Response:
        """What is attached to a mail, as a file."""
        found = box.attached(key, name)
        if found is None:
            raise HTTPException(404, "There is no such mail, or nothing of that name is attached to it.")
        headers = {"Content-Security-Policy": "default-src 'none'", "X-Content-Type-Options": "nosniff"}
        return Response(found[1], media_type=found[0], headers=headers)

    @app.get("/mail/{key}")
    def one(key: str) -> HTMLResponse:
        shown = [{**mail, "text": _linked(mail["text"])} for mail in box.newest()]
        chosen = next((mail for mail in shown if mail["id"] == key), None)
        if chosen is None:
            raise HTTPException(404, "There is no such mail.")
        return HTMLResponse(_PAGES.get_template("mailbox.html").render(mails=shown, chosen=chosen))

    return app


def _linked(text: str) -> Markup:
    """The text with its addresses to be followed; everything else is plain."""
    parts, at = [], 0
    for found in _ADDRESS.finditer(text):
        address = html.escape(found[0])
        parts.append(html.escape(text[at : found.start()]))
        parts.append(f'<a href="{address}" target="_blank" rel="noreferrer noopener">{address}</a>')
        at = found.end()
    return Markup("".join([*parts, html.escape(text[at:])]))  # noqa: S704


async def _serve(port: int, smtp_port: int, folder: Path) -> None:
    box = Box(folder)
    smtp = UnthreadedController(
        _Taking(box), hostname="127.0.0.1", port=smtp_port, loop=asyncio.get_running_loop(), server_hostname="mailbox"
    )
    smtp.server = await smtp._create_server()
    config = uvicorn.Config(make_app(box), host="127.0.0.1", port=port, log_level="warning", access_log=False)
    await uvicorn.Server(config).serve()
    smtp.server.close()


def main() -> None:
    """Runs the mailbox."""
    parser = argparse.ArgumentParser(description="The stand-in mailbox.")
    parser.add_argument("--port", type=int, required=True, help="of the page")
    parser.add_argument("--smtp-port", type=int, required=True)
    parser.add_argument("--folder", type=Path, required=True, help="the maildir")
    arguments = parser.parse_args()
    asyncio.run(_serve(arguments.port, arguments.smtp_port, arguments.folder))


if __name__ == "__main__":
    main()
