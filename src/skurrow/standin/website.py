"""The stand-in website: serves the plain pages of a small business, as its own web server would.

Pages may hold `{{shop}}`, which becomes the address of whatever the pages take their buttons from; nothing else is
known about it here. Run it with `python -m skurrow.standin.website --help`.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import uvicorn
from fastapi import FastAPI, HTTPException
from fastapi.responses import FileResponse, HTMLResponse, Response


def make_app(folder: Path, shop: str) -> FastAPI:
    """The website in `folder`: `/kits` is `kits.html`, `/` is `home.html`, anything else a file as it is."""
    app = FastAPI(title="Stand-in website", docs_url=None, redoc_url=None, openapi_url=None)
    root = folder.resolve()

    @app.get("/health")
    def health() -> dict[str, str]:
        return {"state": "answering"}

    @app.get("/{path:path}")
    def page(path: str) -> Response:
        name = path.strip("/") or "home"
        file = (root / (name if "." in name else f"{name}.html")).resolve()
        if not file.is_relative_to(root) or not file.is_file():
            raise HTTPException(404, "There is no such page.")
        if file.suffix == ".html":
            return HTMLResponse(file.read_text(encoding="utf-8").replace("{{shop}}", shop))
        return FileResponse(file)

    return app


def main() -> None:
    """Runs the website."""
    parser = argparse.ArgumentParser(description="The stand-in website.")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--pages", type=Path, required=True)
    parser.add_argument("--shop", required=True, help="what {{shop}} in the pages becomes")
    arguments = parser.parse_args()
    app = make_app(arguments.pages, arguments.shop)
    uvicorn.run(app, host="127.0.0.1", port=arguments.port, log_level="warning", access_log=False)


if __name__ == "__main__":
    main()
