"""Which tests a change touches, by what imports what: `./test --changed`. The rest of the suite is CI's.

A test file is taken when it, or anything it imports at any remove, differs from a commit (HEAD, unless another one is
named). What all tests stand on, as they all run against a whole shop, counts only where a test imports it by itself.
What Python does not import is mapped by hand below; so are browser tests, which import nothing of what they try.
"""

from __future__ import annotations

import ast
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
SUBJECTS_IN_THE_BROWSER = {
    "products": ["test_products"],
    "coupons": ["test_products"],
    "payments": ["test_payments", "test_ways"],
    "tax": ["test_tax"],
    "delivery": ["test_tax"],
    "papers": ["test_tax"],
    "orders": ["test_refunds"],
    "subscriptions": ["test_subscriptions"],
    "release": ["test_safety"],
    "people": ["test_rooms"],
    "frame": ["test_rooms", "test_keyboard"],
    "tape": ["test_tape"],
    "counter": ["test_buying"],
    "account": ["test_subscriptions"],
    "embed": ["test_embed"],
}
OTHER_FILES = {
    "src/skurrow/store/migrations/": ["tests/store"],
    "src/skurrow/service/mail/mails/": ["tests/service/mail", "tests/service/subscriptions"],
    "demo/": ["tests/core/site", "tests/service/draft"],
    "docs/": ["tests/test_docs.py"],
    "README.md": ["tests/test_docs.py"],
    "benchmarks/": ["tests/run/test_bench.py"],
}


def imports_of(file: Path) -> Iterator[Path]:
    """The files of ours that a file imports, anywhere in it; also those it starts as a process by their names."""
    for node in ast.walk(ast.parse(file.read_text())):
        names: list[str] = []
        if isinstance(node, ast.Import):
            names = [one.name for one in node.names]
        elif isinstance(node, ast.ImportFrom) and node.module:
            names = [node.module, *(f"{node.module}.{one.name}" for one in node.names)]
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            names = [node.value]
        for name in names:
            if name.startswith(("skurrow", "tests", "benchmarks")):
                base = (ROOT / "src" if name.startswith("skurrow") else ROOT).joinpath(*name.split("."))
                yield from (one for one in (base.with_suffix(".py"), base / "__init__.py") if one.is_file())


def reached_from(file: Path, known: dict[Path, list[Path]]) -> set[Path]:
    """A file with all that it imports, at any remove. Tests also stand on the conftest files above them."""
    above = [folder / "conftest.py" for folder in file.parents if folder.is_relative_to(ROOT / "tests")]
    reached, left = set[Path](), [file, *(one for one in above if one.is_file())]
    while left:
        one = left.pop()
        if one not in reached:
            reached.add(one)
            if one not in known:
                known[one] = list(imports_of(one))
            left += known[one]
    return reached


def touched_by(changed: set[str]) -> list[str]:
    """The tests that a change of some files touches; paths as pytest takes them."""
    known: dict[Path, list[Path]] = {}
    files = {ROOT / name for name in changed}
    tests = [file for file in (ROOT / "tests").rglob("test_*.py") if "browser" not in file.parts]
    # What everything stands on tells nothing about what a change touches.
    everywhere = reached_from(ROOT / "tests/conftest.py", known)
    found = {
        str(file.relative_to(ROOT))
        for file in tests
        if (reached_from(file, known) - everywhere | {file, ROOT / "tests/conftest.py"}) & files
    }
    beside = {file for file in files if file in everywhere}
    found |= {str(file.relative_to(ROOT)) for file in tests if beside & set(known.get(file, []))}
    for name in changed:
        found |= {test for start, tests_of in OTHER_FILES.items() if name.startswith(start) for test in tests_of}
        if name.startswith("ui/src/"):
            for subject in Path(name).parts:
                found |= {f"tests/browser/{one}.py" for one in SUBJECTS_IN_THE_BROWSER.get(subject, [])}
        if name.startswith("tests/browser/test_"):
            found.add(name)
    return sorted(one for one in found if (ROOT / one).exists())


def changed_since(commit: str) -> set[str]:
    """The files that differ from a commit, those that git does not know yet among them."""
    told = [["git", "diff", "--name-only", commit], ["git", "ls-files", "--others", "--exclude-standard"]]
    return {
        name
        for command in told
        for name in subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True).stdout.split("\n")
        if name
    }


if __name__ == "__main__":
    print("\n".join(touched_by(changed_since(sys.argv[1] if len(sys.argv) > 1 else "HEAD"))))
