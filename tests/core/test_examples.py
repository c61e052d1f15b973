"""The examples in docstrings hold, in every module of the core: whoever reads one can rely on it."""

from __future__ import annotations

import doctest
import pkgutil
from importlib import import_module

import pytest

import skurrow.core

MODULES = [one.name for one in pkgutil.walk_packages(skurrow.core.__path__, "skurrow.core.")]


@pytest.mark.parametrize("name", MODULES)
def test_the_examples_in_docstrings_hold(name: str) -> None:
    assert doctest.testmod(import_module(name)).failed == 0


def test_there_are_examples() -> None:
    finder = doctest.DocTestFinder()
    assert sum(bool(test.examples) for name in MODULES for test in finder.find(import_module(name))) >= 25
