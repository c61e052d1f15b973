"""Every text that a person can meet from the server: no identifiers, no code words."""

from __future__ import annotations

import ast
import re
import tomllib
from collections.abc import Iterator

from skurrow.core.words import _SENTENCES
from skurrow.run.installation import ROOT

SAYING = frozenset(
    {
        *("Problem", "Conflict", "NotFound", "Closed", "NotNow", "NotAllowed", "TooMany", "HTTPException"),
        *("Finding", "Missing", "Remark", "Stage"),
    }
)
"""What is called with something that somebody reads."""

CODE_WORD = re.compile(
    r"(?<![\w{/.-])[a-z]+_[a-z_]+"  # counts_as
    r"|(?<![\w{/.@-])[a-z]+\.[a-z]+(?![\w/.])"  # card.kept
    r"|\b[a-z]+[A-Z]\w*"  # taxIncluded
    r"|\b\w+\[\d+\]"  # zones[1]
)
OURS_TO_SAY = frozenset({"period_start to period_end"})
"""Of the command line: names of the very file that is read."""


def texts() -> Iterator[tuple[str, str]]:
    """Where a text stands, and the text."""
    for path in sorted((ROOT / "src" / "skurrow").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if not isinstance(node, ast.Call):
                continue
            name = getattr(node.func, "id", getattr(node.func, "attr", ""))
            if name not in SAYING:
                continue
            for given in node.args[1:3] if name == "Problem" else node.args:
                for one in ast.walk(given):
                    if isinstance(one, ast.Constant) and isinstance(one.value, str) and " " in one.value:
                        yield f"{path.relative_to(ROOT)}:{one.lineno}", one.value
    yield from ((f"sentence {code}", text) for code, text in _SENTENCES.items())
    mails = ROOT / "src" / "skurrow" / "service" / "mail" / "mails"
    for path in sorted(mails.glob("*.toml")):
        for kind, mail in tomllib.loads(path.read_text("utf-8")).items():
            for text in _strings(mail):
                yield f"{path.name} {kind}", text


def _strings(value: object) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict | list):
        for one in value.values() if isinstance(value, dict) else value:
            yield from _strings(one)


def test_no_text_of_the_server_holds_an_identifier_or_a_code_word() -> None:
    found = list(texts())
    assert len(found) > 600, "they are found at all"
    wrong = {
        where: text
        for where, text in found
        if CODE_WORD.search(re.sub(r"\{[^}]*\}", "", text)) and not any(one in text for one in OURS_TO_SAY)
    }
    assert wrong == {}


def test_what_is_looked_for_would_be_found() -> None:
    for text in ("has no counts_as", "card.kept happened", "the taxIncluded of it", "in zones[1]"):
        assert CODE_WORD.search(text), text
    for text in ("Write it as in NL or US-NY", "as in 2026-11-24T10:00:00Z", "as in name@example.org", "up to 8 MiB"):
        assert not CODE_WORD.search(text), text
