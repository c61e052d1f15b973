"""What browsers load: all script of the counter's first load against React with its DOM renderer alone, that of the
desk against 150 kB, and the embed script against 3 kB. Sizes after gzip."""

from __future__ import annotations

import gzip
import json
import shutil
import subprocess

from benchmarks.measure import Result
from skurrow.run.installation import ROOT

DIST = ROOT / "ui" / "dist"


def run() -> list[Result]:
    """Three ratios."""
    counter, desk = first_load("counter.html"), first_load("desk.html")
    react = _gzipped(_react_alone())
    embed = _gzipped((DIST / "embed.js").read_bytes())
    return [
        Result(
            "counter, script of the first load",
            f"{counter / 1000:.1f} kB",
            f"{react / 1000:.1f} kB",
            counter / react,
            1.6,
        ),
        Result("desk, script of the first load", f"{desk / 1000:.1f} kB", "150.0 kB", desk / 150_000, 1.0),
        Result("embed script", f"{embed / 1000:.2f} kB", "3.00 kB", embed / 3000, 1.0),
    ]


def first_load(page: str) -> int:
    """The bytes of all scripts without which a page shows nothing, after gzip."""
    manifest = json.loads((DIST / ".vite" / "manifest.json").read_text())
    files: set[str] = set()

    def take(name: str) -> None:
        entry = manifest[name]
        if entry["file"] not in files:
            files.add(entry["file"])
            for other in entry.get("imports", []):
                take(other)

    take(page)
    return sum(_gzipped((DIST / file).read_bytes()) for file in files)


def _gzipped(data: bytes) -> int:
    return len(gzip.compress(data, 9))


def _react_alone() -> bytes:
    """The smallest program that renders with React, built as the counter is."""
    folder = ROOT / ".skurrow" / "react-alone"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    entry = 'import { createElement } from "react"; import { createRoot } from "react-dom/client";\n'
    entry += 'createRoot(document.getElementById("root")).render(createElement("p", null, "x"));\n'
    (folder / "entry.js").write_text(entry)
    (folder / "index.html").write_text('<div id="root"></div><script type="module" src="/entry.js"></script>')
    subprocess.run(
        [str(ROOT / "node_modules/.bin/vite"), "build", str(folder), "--logLevel", "error"], cwd=ROOT, check=True
    )
    built = b"".join(file.read_bytes() for file in (folder / "dist" / "assets").glob("*.js"))
    shutil.rmtree(folder)
    return built
