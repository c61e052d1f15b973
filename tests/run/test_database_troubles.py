"""A database that hangs, and one whose disk is full: what needs it says so in time, and then the books are equal."""

from __future__ import annotations

import pytest

from benchmarks import kill


@pytest.fixture(autouse=True)
def _impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("SKURROW_DATABASE_SECONDS", "3")


@pytest.mark.parametrize("harm", ["hang", "full"])
async def test_buyers_are_told_so_in_time_and_nothing_is_lost(harm: kill.Harm) -> None:
    if harm == "full" and not kill.may_mount():
        harm = "hang"  # only an administrator can make a disk of a few megabytes
    told = await kill.run(orders=60, at_once=12, kills=0, seed=5, say=print, harm=harm, seconds=8.0)
    assert told.wrong == [], kill.tell(told, 5)
    assert set(told.buyers) <= {"paid", "refused", "sold out"}
    assert told.buyers["paid"] > 0
    assert len(told.health) >= 2
    assert max(took for took, _ in told.health) < 6.0, "health never waits for the database"
    if harm == "hang":
        assert 503 in {status for _, status in told.health}
