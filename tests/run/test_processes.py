"""Watching processes: started again when they die, given up when they keep dying, stopped even when they resist."""

from __future__ import annotations

import asyncio
import itertools
import signal
import sys
from pathlib import Path

import pytest

from skurrow.run.cluster import Cluster, ClusterError
from skurrow.run.processes import Part, PartFailed, pause_after, run_until, stop_all
from skurrow.run.secrets_file import keep_secrets, new_secrets


def part(tmp_path: Path, code: str, health: str | None = None) -> Part:
    return Part("part", [sys.executable, "-c", code], {}, tmp_path / "part.log", health=health)


async def test_a_part_that_dies_is_started_again(tmp_path: Path) -> None:
    said: list[str] = []
    one = part(tmp_path, "import time; time.sleep(60)")
    await one.start()
    stop = asyncio.Event()
    watching = asyncio.create_task(run_until(stop.wait(), [one], said.append))
    first = one.process
    assert first is not None
    first.kill()
    while one.process is first:
        await asyncio.sleep(0.02)
    stop.set()
    await watching
    await stop_all([one])
    assert said == ["part stopped (-9); starting it again."]
    assert one.process is not None
    assert one.process.returncode == -signal.SIGTERM


async def test_a_part_that_keeps_dying_is_started_again_with_growing_pauses_and_the_others_stay(tmp_path: Path) -> None:
    said: list[str] = []
    dying, other = part(tmp_path, "import sys; sys.exit(3)"), part(tmp_path, "import time; time.sleep(60)")
    for one in (dying, other):
        await one.start()
    stop = asyncio.Event()
    watching = asyncio.create_task(run_until(stop.wait(), [dying, other], said.append))
    while len(dying.deaths) < 4:
        await asyncio.sleep(0.02)
    apart = [after - before for before, after in itertools.pairwise(dying.deaths)]
    assert apart == sorted(apart)
    assert [pause_after(n) for n in (1, 4, 9, 10, 50)] == [0.2, 1.6, 51.2, 60.0, 60.0]
    assert other.process is not None
    assert other.process.returncode is None
    stop.set()
    await watching
    await stop_all([dying, other])


async def test_a_part_that_does_not_want_to_stop_is_ended(tmp_path: Path) -> None:
    one = part(
        tmp_path, "import signal, time; signal.signal(15, signal.SIG_IGN); print('on', flush=True); time.sleep(60)"
    )
    await one.start()
    while "on" not in one.last_lines():
        await asyncio.sleep(0.02)
    await one.stop(seconds=0.3)
    assert one.process is not None
    assert one.process.returncode == -signal.SIGKILL
    await one.stop()  # once more is harmless


async def test_a_part_that_stops_while_starting_is_told_with_its_log(tmp_path: Path) -> None:
    one = part(tmp_path, "print('no port left')", health="http://127.0.0.1:9/health")
    await one.start()
    with pytest.raises(PartFailed, match=r"(?s)part stopped while starting.*no port left"):
        await one.wait_until_healthy(seconds=10)


def test_secrets_are_kept_and_only_their_owner_can_read_them(tmp_path: Path) -> None:
    file = tmp_path / "deep" / "secrets.json"
    made = keep_secrets(file)
    assert keep_secrets(file) == made
    assert file.stat().st_mode & 0o777 == 0o600
    assert made.master_key not in repr(made)
    assert made != new_secrets()


def test_a_cluster_of_other_secrets_is_not_touched(cluster: Cluster) -> None:
    other = Cluster(cluster.folder, cluster.port, new_secrets().passwords)
    with pytest.raises(ClusterError, match="was made with other secrets"):
        other.create_if_missing()
    cluster.create_if_missing()


def test_a_cluster_needs_its_password(cluster: Cluster) -> None:
    import psycopg

    address = cluster.dsn("skurrow_app", "postgres").replace(cluster.passwords.app, "wrong")
    with pytest.raises(psycopg.OperationalError, match="password authentication failed"):
        psycopg.connect(address)
    with pytest.raises(psycopg.OperationalError, match="no password supplied"):
        psycopg.connect(f"postgresql://postgres@127.0.0.1:{cluster.port}/postgres")
