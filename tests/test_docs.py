"""What is written about Skurrow hangs together: links lead somewhere, every document has its title and can be found."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path
from urllib.parse import unquote

import pytest

from skurrow.run.installation import ROOT

README = ROOT / "README.md"
DOCUMENTS = [README, *sorted((ROOT / "docs").glob("**/*.md"))]
_CODE = re.compile(r"^```.*?^```|`[^`\n]*`", re.DOTALL | re.MULTILINE)
_LINK = re.compile(r"\[(?:[^][]|\[[^][]*\])*\]\(([^()\s]+)\)")
_HEADING = re.compile(r"^#{1,6} +(.+?) *$", re.MULTILINE)


def links(text: str) -> list[str]:
    """Where a document's links and pictures lead, its code left out."""
    return _LINK.findall(_CODE.sub("", text))


def anchors(text: str) -> set[str]:
    """The anchors of a document's headings, as readers of Markdown make them."""
    return {re.sub(r"[^\w\- ]", "", heading.lower()).replace(" ", "-") for heading in _HEADING.findall(text)}


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda path: str(path.relative_to(ROOT)))
def test_every_link_leads_somewhere(document: Path) -> None:
    text = document.read_text(encoding="utf-8")
    assert text.startswith("# "), "a document begins with its title"
    lost = []
    for link in links(text):
        if link.startswith(("http:", "https:", "mailto:")):
            continue
        path, _, anchor = unquote(link).partition("#")
        target = (document.parent / path).resolve() if path else document
        if not target.exists() or (anchor and anchor not in anchors(target.read_text(encoding="utf-8"))):
            lost.append(link)
    assert lost == []


def files_named(text: str) -> set[str]:
    """The files of the code that a text names, as it names them."""
    return set(re.findall(r"(?<![\w/.-])((?:[\w-]+/)*[A-Za-z_][\w-]*(?:\.test)?\.(?:py|tsx?|sql|yaml))(?!\w)", text))


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda path: str(path.relative_to(ROOT)))
def test_every_file_that_is_named_is_there(document: Path) -> None:
    known = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split("\n")
    named = files_named(document.read_text(encoding="utf-8"))
    assert {name for name in named if not any(f"/{file}".endswith(f"/{name}") for file in known)} == set()


def test_every_document_and_picture_can_be_found_from_the_readme() -> None:
    seen: set[Path] = set()
    waiting = [README]
    while waiting:
        document = waiting.pop()
        seen.add(document)
        if document.suffix == ".md":
            found = {(document.parent / link.split("#")[0]).resolve() for link in links(document.read_text("utf-8"))}
            waiting += [path for path in found - seen if path.is_file()]
    there = {*DOCUMENTS, *(ROOT / "docs" / "screenshots").iterdir()}
    assert sorted(str(path.relative_to(ROOT)) for path in there - seen) == []


def test_the_whole_of_it_is_read() -> None:
    assert links("[a](b.md#c) `[no](code.md)` ![p](q.png) [![x](y.png)](z.md)") == ["b.md#c", "q.png", "z.md"]
    assert anchors("# Tax, and `more`\n## The rates") == {"tax-and-more", "the-rates"}
    assert files_named("`a/b.py` and c.tsx, d.test.ts; e.pyc, no_py") == {"a/b.py", "c.tsx", "d.test.ts"}
