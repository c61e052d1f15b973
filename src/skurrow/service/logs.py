"""Logs as one JSON object a line, on standard output."""

from __future__ import annotations

import structlog


def log_as_json() -> None:
    """Has structlog write JSON with UTC times."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.dict_tracebacks,
            structlog.processors.JSONRenderer(),
        ]
    )
