"""The shape of the code: arrows point one way (the contracts stand in pyproject.toml), and nothing in it is dead."""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path

from vulture import Vulture

from skurrow.run.installation import ROOT


def test_arrows_point_one_way() -> None:
    command = [str(Path(sys.executable).parent / "lint-imports"), "--no-cache"]
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, env={"PYTHONPATH": "src"}, check=False)
    assert done.returncode == 0, done.stdout
    assert "8 kept, 0 broken" in done.stdout


def test_sql_stands_in_the_store_and_in_the_commands_that_make_databases() -> None:
    words = ("select ", "insert into", "update ", "delete from")
    for file in (ROOT / "src" / "skurrow").rglob("*.py"):
        place = file.relative_to(ROOT / "src" / "skurrow").parts[0]
        if place in {"store", "run", "standin"}:
            continue
        texts = [n.value for n in ast.walk(ast.parse(file.read_text())) if isinstance(n, ast.Constant)]
        found = [t for t in texts if isinstance(t, str) and t.lower().startswith(words) and t != "select 1"]
        assert not found, (file, found)


CALLED_BY_OTHERS = ["test_*", "pytest_*", "do_POST", "log_message", "handle_DATA", "handle_message"]
BY_DECORATORS = ["@router.*", "@app.*", "@field_validator*", "@model_validator*", "@main.*", "@pytest.*"]


def test_nothing_is_written_that_nobody_uses() -> None:
    dead = Vulture(ignore_names=CALLED_BY_OTHERS, ignore_decorators=BY_DECORATORS)
    dead.scavenge([ROOT / "src", ROOT / "tests", ROOT / "benchmarks"])
    unused = [*dead.unused_funcs, *dead.unused_methods, *dead.unused_classes, *dead.unused_props]
    assert not unused, [(str(one.filename), one.first_lineno, one.name) for one in unused]
