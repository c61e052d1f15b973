"""The command line, as other programs call it."""

from __future__ import annotations

import copy
import json
import os
import subprocess
from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from skurrow.core.site import file as site_file
from skurrow.core.tax import numbers
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
    assert "is right: 12 products" in done.stdout


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


@pytest.mark.parametrize(
    ("changed", "path"),
    [
        ({"buyer": {"country": "NL", "business": "yes"}}, "buyer.business"),
        ({"at": 1790000000}, "at"),
        ({"items": [{"price": "kit", "quantity": "2"}]}, "items[0].quantity"),
    ],
)
def test_an_order_of_wrong_types_is_refused_rather_than_guessed_at(changed: dict[str, Any], path: str) -> None:
    done = skurrow("quote", DEMO, "-", given=json.dumps({**json.loads(ORDER), **changed}))
    assert (done.returncode, json.loads(done.stdout)["errors"][0]["path"]) == (2, path)


def test_a_name_that_is_written_twice_is_refused() -> None:
    done = skurrow("quote", DEMO, "-", given=ORDER.replace("{", '{"currency": "GBP", ', 1))
    (error,) = json.loads(done.stdout)["errors"]
    assert (done.returncode, error["path"], error["message"]) == (2, "currency", "is written twice")


def test_what_cannot_be_read_gives_problem_details_and_no_more_than_a_hundred_errors_are_told(tmp_path: Path) -> None:
    (tmp_path / "dangling").symlink_to("nowhere")
    for given in (tmp_path, tmp_path / "dangling", tmp_path / "none.yaml"):
        done = skurrow("check", "--json", str(given))
        assert (done.returncode, json.loads(done.stdout)["title"]) == (2, "The input cannot be read")
        assert (skurrow("check", str(given)).returncode, done.stderr) == (2, "")
    many = tmp_path / "many.yaml"
    products = "".join(f"  - {{id: p{n}, name: P, kind: nothing, prices: []}}\n" for n in range(150))
    many.write_text(f"format: skurrow-site/1\nproducts:\n{products}")
    details = json.loads(skurrow("check", "--json", str(many)).stdout)
    assert len(details["errors"]) == 100
    assert details["more"] >= 50
    told = skurrow("check", str(many))
    assert f"And {details['more']} more." in told.stdout
    assert f"{details['more'] + 100} errors in" in told.stderr


def test_a_missing_file_is_named() -> None:
    done = skurrow("quote", "/nowhere.yaml", "-", given=ORDER)
    assert done.returncode == 2
    assert "/nowhere.yaml cannot be read" in done.stderr


def test_many_orders_are_one_result_a_line_and_a_wrong_one_stops_nobody() -> None:
    given = "\n".join([ORDER, ORDER.replace("kit", "gone"), "", ORDER.replace("kit", "thread"), "{"])
    done = skurrow("quote", DEMO, "-", "--many", given=given)
    results = [json.loads(line) for line in done.stdout.splitlines()]
    assert done.returncode == 2
    assert [result.get("due_today") for result in results] == ["48.00", None, "12.00", None]
    assert results[1]["errors"][0]["path"] == "items[0].price"
    assert skurrow("quote", DEMO, "-", "--many", given=ORDER).returncode == 0


def test_a_schedule_lists_every_charge_until_a_day() -> None:
    done = skurrow("schedule", DEMO, "-", "--until", "2027-01-31", given=ORDER.replace("kit", "bench-month"))
    assert [(one["on"], one["total"]) for one in json.loads(done.stdout)] == [
        ("2026-12-04", "15.00"),
        ("2027-01-04", "15.00"),
    ]
    wrong = skurrow("schedule", DEMO, "-", "--until", "soon", given=ORDER)
    assert (wrong.returncode, "soon" in wrong.stderr) == (2, True)
    far = skurrow("schedule", DEMO, "-", "--until", "2999-01-01", given=ORDER)
    assert json.loads(far.stdout)["errors"][0]["path"] == "until"


def test_the_published_schema_is_that_of_the_models_and_knows_right_from_wrong() -> None:
    """Source: JSON Schema 2020-12, as the package jsonschema validates it."""
    published = json.loads((ROOT / "docs" / "site-file.schema.json").read_text())
    assert published == json.loads(skurrow("schema").stdout), "run ./skurrow schema > docs/site-file.schema.json"
    Draft202012Validator.check_schema(published)
    validator = Draft202012Validator(published)
    data = site_file.read((ROOT / "demo" / "site.yaml").read_text()).data
    assert list(validator.iter_errors(data)) == []
    for path, value in (
        (("products", 0, "prices", 0, "amount", "EUR"), 48.0),
        (("products", 0, "prices", 0, "kind"), "onse"),
        (("products", 2, "prices", 0, "every"), "1 month"),
        (("site", "country"), "XX"),
        (("coupons", 0, "until"), 2027),
        (("coupons", 0, "prcent"), "10"),
    ):
        wrong = copy.deepcopy(data)
        *around, name = path
        here = wrong
        for step in around:
            here = here[step]
        here[name] = value
        assert list(validator.iter_errors(wrong)), path


def test_without_a_running_skurrow_apply_says_what_to_do(tmp_path: Path) -> None:
    done = subprocess.run(
        [str(ROOT / "skurrow"), "apply", DEMO],
        env={**os.environ, "SKURROW_STATE": str(tmp_path)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, "Run ./start first" in done.stderr) == (2, True)


def test_a_tax_number_of_a_megabyte_is_none() -> None:
    for country in ("NL", "GB", "CH", "US"):
        assert numbers.read("1" * 1_000_000, country) is None
