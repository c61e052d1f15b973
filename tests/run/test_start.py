"""`./start`, as a person runs it: what it prints, keeps, starts again, steps over, and leaves behind."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import httpx
import pytest

from skurrow.run.demo import EMAIL
from skurrow.run.installation import ROOT, Installation
from skurrow.run.ports import Ports, PortTaken, any_free, settle_ports
from tests.conftest import own_folder


@dataclass
class Started:
    """A run of `./start` with its own folder and ports."""

    folder: Path
    ports: Ports
    process: subprocess.Popen[str] | None = None
    printed: list[str] = field(default_factory=list)

    def start(self, *more: str) -> str:
        """Starts it; returns what it prints until it is ready or has stopped."""
        options = [f"--{name}-port={port}" for name, port in vars(self.ports).items()]
        self.process = subprocess.Popen(
            [str(ROOT / "start"), *options, *more],
            env={**os.environ, "SKURROW_STATE": str(self.folder)},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            start_new_session=True,
        )
        assert self.process.stdout is not None
        text = ""
        for line in self.process.stdout:
            text += line
            if "Ctrl-C stops everything" in line:
                break
        self.printed.append(text)
        return text

    def stop(self) -> str:
        """Presses Ctrl-C; returns what is printed until the end."""
        assert self.process is not None
        assert self.process.stdout is not None
        os.killpg(self.process.pid, signal.SIGINT)
        rest = self.process.stdout.read()
        assert self.process.wait(timeout=30) == 0
        return rest

    def alive(self) -> list[str]:
        """Processes that work in the folder or with its ports."""
        found = []
        marks = [str(self.folder), *(str(port) for port in vars(self.ports).values())]
        for entry in Path("/proc").iterdir():
            with contextlib.suppress(FileNotFoundError, ProcessLookupError, NotADirectoryError, PermissionError):
                command = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
                ours = any(mark in command for mark in marks) or f"SKURROW_STATE={self.folder}" in (
                    entry / "environ"
                ).read_bytes().decode(errors="replace").split("\0")
                if ours and entry.name.isdigit() and int(entry.name) != os.getpid():
                    found.append(command)
        return found

    def pid_of(self, part: str) -> int:
        """The process of a part."""
        text = subprocess.run(["pgrep", "-f", part], capture_output=True, text=True, check=True).stdout
        for pid in map(int, text.split()):
            with contextlib.suppress(FileNotFoundError):
                if f"SKURROW_STATE={self.folder}" in Path(f"/proc/{pid}/environ").read_text().split("\0"):
                    return pid
        raise AssertionError(f"{part} does not run")

    def kill(self, part: str) -> bool:
        """Ends a part as if the power went; says whether it ran."""
        with contextlib.suppress(AssertionError, ProcessLookupError, subprocess.CalledProcessError):
            os.kill(self.pid_of(part), signal.SIGKILL)
            return True
        return False

    def health(self) -> int:
        """What the web process answers."""
        try:
            return httpx.get(f"http://127.0.0.1:{self.ports.web}/health", timeout=2).status_code
        except httpx.HTTPError:
            return 0

    def sites(self) -> list[str]:
        """Signs in with what was printed; the sites of the demo's developer."""
        printed = re.search(rf"sign in with\s+{re.escape(EMAIL)}\s+(\S+)", self.printed[-1])
        assert printed
        desk = f"http://localhost:{self.ports.web}"
        headers = {"host": f"localhost:{self.ports.web}", "origin": desk}
        with httpx.Client(base_url=f"http://127.0.0.1:{self.ports.web}", headers=headers) as client:
            answer = client.post("/desk/api/session", json={"email": EMAIL, "password": printed[1]})
            cookie = answer.raise_for_status().headers["set-cookie"].split(";")[0]
            return [s["code"] for s in client.get("/desk/api/me", headers={"cookie": cookie}).json()["sites"]]


@pytest.fixture
def started() -> Iterator[Started]:
    made = Started(own_folder("start"), Ports(*(any_free() for _ in vars(Ports()))))
    yield made
    if made.process is not None and made.process.poll() is None:
        os.killpg(made.process.pid, signal.SIGKILL)
        made.process.wait()
        time.sleep(1)
    Installation(made.folder, made.ports).remove()
    shutil.rmtree(made.folder, ignore_errors=True)


def soon(true: object, seconds: float = 60) -> None:
    deadline = time.monotonic() + seconds
    while not true():  # type: ignore[operator]
        assert time.monotonic() < deadline
        time.sleep(0.1)


def test_a_life_of_start(started: Started) -> None:
    first = started.start()
    assert "the demo was loaded" in first
    assert started.sites() == ["ostrel"]
    for port, path in ((started.ports.cards, "/"), (started.ports.website, "/kits"), (started.ports.mailbox, "/")):
        assert httpx.get(f"http://127.0.0.1:{port}{path}").status_code == 200

    second = subprocess.run(
        [str(ROOT / "start")],
        env={**os.environ, "SKURROW_STATE": str(started.folder)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert second.returncode != 0
    assert "runs already" in second.stderr

    assert started.kill("skurrow.web.server")
    assert started.kill("skurrow.work.worker")
    soon(lambda: started.health() == 200)
    soon(lambda: started.pid_of("skurrow.work.worker"))
    assert "Stopped." in started.stop()
    assert started.alive() == []

    again = started.start()
    assert again.strip().startswith("Skurrow is running (with the data of last time"), "nothing is set up again"
    assert started.sites() == ["ostrel"]

    # The launcher itself is killed: nothing of it stays, and the next start finds everything.
    assert started.process is not None
    started.process.kill()
    started.process.wait()
    soon(lambda: started.alive() == [])
    assert "with the data of last time" in started.start()
    started.stop()

    password = re.search(rf"{re.escape(EMAIL)}\s+(\S+)", started.printed[-1])
    fresh = started.start("--fresh")
    assert "the demo was loaded" in fresh
    assert password
    assert password[1] not in fresh
    started.stop()


def test_a_taken_port_that_was_asked_for_is_named(started: Started) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", started.ports.cards))
        taken.listen()
        text = started.start()
    assert f"port {started.ports.cards} for cards is in use" in text
    assert started.alive() == []


def test_a_taken_port_is_stepped_over_unless_it_was_asked_for() -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        port = taken.getsockname()[1]
        wanted = Ports(port, *(any_free() for _ in list(vars(Ports()))[1:]))
        settled, said = settle_ports(wanted, set())
        assert settled.web != port
        assert len(set(vars(settled).values())) == len(vars(wanted))
        assert said == [f"Port {port} is in use; web listens on {settled.web}."]
        with pytest.raises(PortTaken, match=f"port {port} for web is in use"):
            settle_ports(wanted, {"web"})


def test_a_part_that_keeps_dying_is_started_again_ever_later_and_the_others_go_on(started: Started) -> None:
    started.start()
    assert started.process is not None
    assert started.process.stdout is not None
    said = []
    for _ in range(4):
        soon(lambda: started.kill("skurrow.work.worker"))
        said.append(next(line.rstrip() for line in started.process.stdout if "worker stopped" in line))
    assert [line.split("; ")[1] for line in said] == [*["starting it again."] * 3, "starting it again in 2 s"]
    assert "worker.log" in said[-1]
    assert started.health() == 200
    assert "Stopped." in started.stop()
    assert started.alive() == []
