"""What travels before a page shows anything: a room that is drawn into the first load is seen here."""

from __future__ import annotations

import pytest

from benchmarks.sizes import first_load


@pytest.mark.parametrize(("page", "most"), [("desk.html", 150_000), ("counter.html", 105_000)])
def test_the_first_load_stays_small(page: str, most: int) -> None:
    assert 50_000 < first_load(page) <= most
