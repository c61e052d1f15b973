"""The built pages of the interface, with their security headers and the data they begin with."""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import lru_cache
from html import escape
from pathlib import Path
from typing import Any

from fastapi.responses import HTMLResponse

BUILT = Path(__file__).parents[3] / "ui" / "dist"
"""Where the front end was built to."""

_BASE = (
    "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; "
    "img-src 'self' data:; connect-src 'self'; base-uri 'none'; form-action 'self'; "
)


def counter(
    boot: dict[str, Any], title: str, status: int, gateways: Sequence[str] = (), framers: list[str] | None = None
) -> HTMLResponse:
    """A page for buyers. `gateways` are the origins whose fields it holds, `framers` who may frame it.

    A page that says that there is nothing (no framers given) may stand in anybody's frame.
    """
    data = json.dumps(boot, ensure_ascii=False).replace("<", "\\u003c")
    page = _built("counter.html").replace("<!--boot-->", data).replace("<!--title-->", escape(title))
    ancestors = " ".join(framers) if framers else "*"
    framed = " ".join(gateways) or "'none'"
    base = _BASE
    for allowed in ("connect-src 'self'", "img-src 'self'"):
        # The browser's payment window looks a gateway's payment method and its icon up on the page's behalf.
        base = base.replace(allowed, " ".join([allowed, *gateways]))
    policy = f"{base}frame-src {framed}; frame-ancestors {ancestors}"
    return HTMLResponse(page, status, _headers(policy))


def desk(counter_url: str) -> HTMLResponse:
    """The desk; it is never framed."""
    policy = f"{_BASE}frame-src {counter_url}; frame-ancestors 'none'"
    return HTMLResponse(_built("desk.html"), headers=_headers(policy))


def _headers(policy: str) -> dict[str, str]:
    return {
        "Content-Security-Policy": policy,
        "Cache-Control": "no-store",
        "Referrer-Policy": "strict-origin",
        "X-Content-Type-Options": "nosniff",
    }


def _built(name: str) -> str:
    file = BUILT / name
    return _read(file, file.stat().st_mtime_ns)


@lru_cache(maxsize=8)
def _read(file: Path, _changed: int) -> str:
    """A built page, read again when it was built anew."""
    return file.read_text(encoding="utf-8")
