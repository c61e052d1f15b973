"""Site files as text: YAML 1.2 scalars, lines, and what is wrong with the text itself."""

from __future__ import annotations

import pytest

from skurrow.core.site.file import LARGEST_FILE, read


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("NO", "NO"),
        ("yes", "yes"),
        ("on", "on"),
        ("true", True),
        ("null", None),
        ("012", 12),
        ("0x1F", 31),
        ("1_000", "1_000"),
        ("1.50", 1.5),
        ('"1.50"', "1.50"),
        ("2026-01-31", "2026-01-31"),
        ("12:30", "12:30"),
        ("~", None),
        ("", None),
        ("'012'", "012"),
        ("!!str 12", "12"),
        ("1e3", 1000.0),
        (".inf", ".inf"),
        ("-7", -7),
        ("&x 5", 5),
    ],
)
def test_scalars_are_those_of_yaml_1_2(text: str, value: object) -> None:
    assert read(f"a: {text}").data == {"a": value}


def test_json_reads_as_well() -> None:
    assert read('{"a": [1, "x", null]}').data == {"a": [1, "x", None]}


def test_every_value_keeps_its_line() -> None:
    source = read("a: 1\nb:\n  - c: 2\n  - c: 3\n")
    assert [source.line_of(path) for path in [("a",), ("b", 0, "c"), ("b", 1, "c")]] == [1, 3, 4]
    assert source.line_of(("b", 1, "missing")) == 4
    assert source.line_of(("nowhere",)) == 1


def test_names_written_twice_are_told_with_both_lines() -> None:
    (problem,) = read("a: 1\nb: 2\na: 3\n").problems
    assert (problem.where, problem.line) == ("a", 3)
    assert "first on line 1" in problem.message


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("a: [1", "This is not YAML"),
        ("a: b: c", "This is not YAML"),
        ("\ta: 1", "This is not YAML"),
        ("a: \x00", "This is not YAML"),
        ("", "The file is empty"),
        ("# only a comment", "The file is empty"),
        ("null", "The file is empty"),
        ("&±", "This is not YAML"),
        ("a: 1\n---\nb: 2", "several documents"),
        ("a: *nowhere", "which is not there"),
        ("{[1]: 2}", "a name that is no text"),
        ("a: &x [*x]", "refers to itself"),
        ("a: !!python/object:os.system x", "has the tag"),
        ("x" * (LARGEST_FILE + 1), "larger than 8 MiB"),
    ],
)
def test_text_that_cannot_be_read_is_refused_in_words(text: str, says: str) -> None:
    problems = read(text).problems
    assert says in problems[0].message
    assert problems[0].remedy


def test_a_file_that_multiplies_itself_is_refused() -> None:
    lines = ["a0: &a0 [x, x, x, x, x, x, x, x, x, x]"]
    lines += [f"a{n}: &a{n} [{', '.join([f'*a{n - 1}'] * 10)}]" for n in range(1, 8)]
    problems = read("\n".join(lines)).problems
    assert any("repeats too much" in problem.message for problem in problems)


def test_names_that_lead_on_and_on_are_followed_so_far_and_no_further() -> None:
    lines = ["a0: &a0 [x]", *(f"a{n}: &a{n} [*a{n - 1}]" for n in range(1, 3000))]
    problems = read("\n".join(lines)).problems
    assert any("repeats too much" in problem.message for problem in problems)
