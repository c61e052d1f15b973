"""The server that mail is handed to: with TLS from the start (RFC 8314) or after STARTTLS (RFC 3207), and a login."""

from __future__ import annotations

import smtplib
import ssl
from dataclasses import dataclass, field
from email.message import EmailMessage
from typing import Literal
from urllib.parse import unquote, urlsplit

_SECONDS = 10.0
_SCHEMES: dict[str, tuple[Literal["none", "starttls", "tls"], int]] = {
    "smtp": ("none", 25),
    "smtp+starttls": ("starttls", 587),
    "smtps": ("tls", 465),
}


@dataclass(frozen=True, slots=True)
class SmtpServer:
    """Where it is and how it is spoken to. `authority` is a file with certificates to trust, not the machine's."""

    host: str
    port: int
    security: Literal["none", "starttls", "tls"] = "none"
    user: str | None = None
    password: str = field(default="", repr=False)
    authority: str | None = None

    @classmethod
    def of(cls, address: str, password: str = "") -> SmtpServer:
        """Reads "127.0.0.1:25", "smtp://host", "smtp+starttls://user@host:587" or "smtps://user@host".

        Raises ValueError saying what is wrong with it.

        >>> SmtpServer.of("smtps://shop%40example.org@mail.example.org", "secret")
        SmtpServer(host='mail.example.org', port=465, security='tls', user='shop@example.org', authority=None)
        """
        parts = urlsplit(address if "://" in address else f"smtp://{address}")
        if parts.scheme not in _SCHEMES or not parts.hostname or parts.password is not None:
            raise ValueError(
                "the mail server has to be written as host:port, smtp+starttls://user@host or smtps://user@host; "
                "its password is a setting of its own"
            )
        security, port = _SCHEMES[parts.scheme]
        user = unquote(parts.username) if parts.username else None
        if user is not None and security == "none":
            raise ValueError("a login at the mail server needs TLS: write smtp+starttls:// or smtps://")
        return cls(parts.hostname, parts.port or port, security, user, password)

    def hand_over(self, message: EmailMessage) -> None:
        """Hands a mail over; raises OSError or smtplib.SMTPException when it is not taken."""
        tls = ssl.create_default_context(cafile=self.authority)
        with (
            smtplib.SMTP_SSL(self.host, self.port, timeout=_SECONDS, context=tls)
            if self.security == "tls"
            else smtplib.SMTP(self.host, self.port, timeout=_SECONDS) as smtp
        ):
            if self.security == "starttls":
                smtp.starttls(context=tls)
            if self.user is not None:
                smtp.login(self.user, self.password)
            smtp.send_message(message)


LOCAL = SmtpServer("127.0.0.1", 25)
"""This machine's own."""
