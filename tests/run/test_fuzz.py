"""The short version of `./bench --fuzz`: the whole API asked at random, by everybody who can ask."""

from __future__ import annotations

from benchmarks import fuzz


def test_the_whole_api_answers_nothing_that_it_does_not_say_it_would() -> None:
    said: list[str] = []
    assert fuzz.run(3, 7, said.append) == 0, said
    assert len(said) == 6, "everybody has asked"
    assert all(" requests (" in line for line in said)
