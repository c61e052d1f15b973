"""The command line, as other programs call it."""

from __future__ import annotations

import json
import subprocess
from pathlib import Path

from skurrow.run.installation import ROOT

DEMO = str(ROOT / "demo" / "site.yaml")
ORDER = '{"at": "2026-11-24T10:00:00Z", "currency": "EUR", "items": [{"price": "kit"}], "buyer": {"country": "NL"}}'


def skurrow(*arguments: str, given: str = "", where: Path = ROOT) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [str(ROOT / "skurrow"), *arguments], input=given, capture_output=True, text=True, cwd=where, check=False
    )


def test_the_demo_is_a_right_site_file() -> None:
    done = skurrow("check", DEMO)
    assert done.returncode == 0
    assert "is right: 9 products" in done.stdout


def test_check_tells_every_error_with_its_line(tmp_path: Path) -> None:
    file = tmp_path / "wrong.yaml"
    file.write_text("format: skurrow-site/1\nsite: {name: X}\ncurrencies: [{code: EUR}]\nprodukts: []\n")
    done = skurrow("check", "wrong.yaml", where=tmp_path)
    assert done.returncode == 2
    lines = done.stdout.splitlines()
    assert len(lines) == 4
    assert "wrong.yaml:4: produkts: is not a known name here. Did you mean “products”?" in lines
    details = json.loads(skurrow("check", "--json", str(file)).stdout)
    assert {(e["path"], e["line"]) for e in details["errors"]} == {
        *(("site.url", 2), ("site.country", 2), ("site.time_zone", 2), ("produkts", 4))
    }


def test_the_same_input_gives_the_same_bytes_from_anywhere(tmp_path: Path) -> None:
    first = skurrow("quote", DEMO, "-", given=ORDER)
    (tmp_path / "order.json").write_text(ORDER)
    second = skurrow("quote", DEMO, "order.json", where=tmp_path)
    assert first.returncode == second.returncode == 0
    assert first.stdout == second.stdout
    assert json.loads(first.stdout)["due_today"] == "48.00"


def test_a_wrong_order_is_exit_2_with_problem_details() -> None:
    for given, path in (("{", ""), (ORDER.replace("kit", "gone"), "items[0].price"), ("[]", "")):
        done = skurrow("quote", DEMO, "-", given=given)
        assert done.returncode == 2
        details = json.loads(done.stdout)
        assert details["errors"][0]["path"] == path
        assert details["title"] == "The order cannot be quoted"


def test_a_missing_file_is_named() -> None:
    done = skurrow("quote", "/nowhere.yaml", "-", given=ORDER)
    assert done.returncode == 2
    assert "/nowhere.yaml cannot be read" in done.stderr
