"""Logs as one JSON object a line, on standard output, from all of this process.

Of an exception its kind and where it came from are written down, never what it says and never what variables held:
both may carry a token that can be charged, a key, a password or somebody's address.
"""

from __future__ import annotations

import logging
import sys
import traceback
from typing import Any, TextIO

import psycopg
import structlog
from structlog.typing import EventDict, Processor

_MOST_FRAMES = 30


def log_as_json(out: TextIO | None = None) -> None:
    """Has structlog, and every library that logs in the usual way, write JSON with UTC times, to standard output if it
    is not said where."""
    to = out or sys.stdout
    before: list[Processor] = [
        structlog.stdlib.add_log_level,
        structlog.processors.TimeStamper(fmt="iso", utc=True),
        _told_safely,
    ]
    written = structlog.processors.JSONRenderer()
    structlog.configure(processors=[*before, written], logger_factory=structlog.PrintLoggerFactory(to))
    formatter = structlog.stdlib.ProcessorFormatter
    handler = logging.StreamHandler(to)
    handler.setFormatter(
        formatter(foreign_pre_chain=[_of_a_library, *before], processors=[formatter.remove_processors_meta, written])
    )
    root = logging.getLogger()
    root.handlers = [handler]
    root.setLevel(logging.WARNING)


def told(error: BaseException) -> list[dict[str, Any]]:
    """An exception and what caused it: kinds and places, the innermost place last."""
    found: list[dict[str, Any]] = []
    one: BaseException | None = error
    while one is not None and len(found) < 5:
        frames = traceback.extract_tb(one.__traceback__)[-_MOST_FRAMES:]
        entry: dict[str, Any] = {
            "kind": f"{type(one).__module__}.{type(one).__qualname__}",
            "frames": [f"{frame.filename}:{frame.lineno} {frame.name}" for frame in frames],
        }
        if isinstance(one, psycopg.Error):
            of = one.diag
            names = {"sqlstate": one.sqlstate, "table": of.table_name, "constraint": of.constraint_name}
            entry |= {name: value for name, value in names.items() if value}
        elif isinstance(one, OSError) and one.errno is not None:
            entry["errno"] = one.errno
        found.append(entry)
        one = one.__cause__ or (None if one.__suppress_context__ else one.__context__)
    return found


def _told_safely(_: Any, __: str, event: EventDict) -> EventDict:
    given = event.pop("exc_info", None)
    if given is True:
        given = sys.exc_info()
    if isinstance(given, tuple):
        given = given[1]
    if isinstance(given, BaseException):
        event["exception"] = told(given)
    return event


def _of_a_library(_: Any, __: str, event: EventDict) -> EventDict:
    """What a library wants to say: the first line of its words as they stand in its source, not filled in."""
    record: logging.LogRecord = event["_record"]
    event["event"] = str(record.msg).partition("\n")[0][:200]
    event["logger"] = record.name
    event.pop("positional_args", None)
    if record.exc_info:
        event["exc_info"] = record.exc_info
    return event
