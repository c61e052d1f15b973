"""Prints the OpenAPI document from which the front end's client is generated: `python -m skurrow.web.openapi`."""

from __future__ import annotations

import json

from cryptography.fernet import Fernet

from skurrow.service.context import Settings
from skurrow.web.app import make_app


def document() -> str:
    """The document as text, the same for the same code."""
    settings = Settings("", (Fernet.generate_key().decode(),), "http://desk", "http://counter", "", {})
    return json.dumps(make_app(settings).openapi(), indent=2, sort_keys=True) + "\n"


if __name__ == "__main__":
    print(document(), end="")
