"""`./bench` runs: measurements end, its floor does what it is compared with, and it says what it found."""

from __future__ import annotations

import os
import re
import subprocess
import sys

import pytest

from benchmarks.__main__ import NAMES
from skurrow.run.installation import ROOT

LINES = {"quote": 5, "endpoint": 2, "orders": 2, "renewals": 2, "sizes": 2}
"""How many figures each measurement gives, at least. That of the desk takes minutes, and is run by hand."""


def test_every_measurement_is_known() -> None:
    assert {*LINES, "desk"} == {*NAMES}


@pytest.mark.parametrize("name", LINES)
def test_it_runs_and_says_what_it_found(name: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks", name, "--quick"],
        cwd=ROOT,
        env={**os.environ, "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr[-4000:]
    head, *found = done.stdout.splitlines()
    assert "floor" in head
    assert len(found) >= LINES[name], done.stdout
    for line in found:
        ratio = re.search(r" (\d+\.\d+)  [≤≥]", line)
        assert ratio is not None, line
        assert float(ratio[1]) > 0, line
