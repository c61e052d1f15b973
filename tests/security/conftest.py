"""The application as its attackers meet it: with the limits that hold for everybody."""

from __future__ import annotations

from tests.web.conftest import web

__all__ = ["web"]
