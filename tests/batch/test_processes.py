"""Processes that work for another: none outlives it, and each takes its share of the processors."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

import reflexa
from reflexa import processes
from reflexa.batch.pool import Processes
from reflexa.motion import threads

ROOT = Path(reflexa.__file__).parents[1]
# Two processes that would work for ten minutes; then who works is written down.
WORKS = """
import sys, time
from reflexa.batch.pool import Processes
from tests.batch.test_processes import sleeps
list(Processes(2)(sleeps, [sys.argv[1] + "/a", sys.argv[1] + "/b"]))
"""
SERVED = """
import sys
from reflexa.processes import Process
Process("tests.batch.test_processes").ask(sys.argv[1] + "/a", 600)
"""


def sleeps(path: str) -> None:
    """Says who works, and works on."""
    Path(path).write_text(str(os.getpid()))
    time.sleep(600)


def _alive(pid: int) -> bool:
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0]
    except OSError:
        return False
    return state not in "ZX"


def until(done: Callable[[], bool]) -> None:
    """Wait for a condition; the time limit of the tests ends it."""
    while not done():
        time.sleep(0.05)


@pytest.mark.parametrize("how", [signal.SIGTERM, signal.SIGHUP, signal.SIGKILL])
@pytest.mark.parametrize(("program", "count"), [(WORKS, 2), (SERVED, 1)], ids=["pool", "served"])
def test_nobody_works_on_for_a_parent_that_is_gone(program: str, count: int, how: int, tmp_path: Path) -> None:
    env = {**os.environ, "PYTHONPATH": str(ROOT)}
    parent = subprocess.Popen(
        [sys.executable, "-c", program, str(tmp_path)], env=env, cwd=ROOT,
        preexec_fn=lambda: signal.signal(signal.SIGHUP, signal.SIG_DFL),  # whoever runs the tests may have it ignored
    )  # fmt: skip
    try:
        until(lambda: len([p for p in tmp_path.iterdir() if p.read_text()]) == count)
        workers = [int(p.read_text()) for p in tmp_path.iterdir()]
        assert all(map(_alive, workers))
        parent.send_signal(how)
        parent.wait()
        until(lambda: not any(map(_alive, workers)))
    finally:
        parent.kill()
        parent.wait()


def share(_: int) -> tuple[int, str]:
    """How many threads a process takes, and whether its libraries were told before they were loaded."""
    return threads.cores(), os.environ.get("OPENBLAS_NUM_THREADS", "")


def test_processes_share_the_processors() -> None:
    cores = len(os.sched_getaffinity(0))
    assert threads.cores() == cores
    assert {r for _, r in Processes(2)(share, range(4))} == {(max(1, cores // 2), "1")}


def test_processors_that_may_not_be_used_are_not_counted() -> None:
    said = "import os; os.sched_setaffinity(0, {0}); from reflexa.motion import threads; print(threads.cores())"
    out = subprocess.run([sys.executable, "-c", said], env={**os.environ, "PYTHONPATH": str(ROOT)}, capture_output=True)
    assert out.stdout.strip() == b"1"


if __name__ == "__main__":
    from reflexa import processes

    processes.serve(sleeps)


def answers_late(seconds: float) -> str:
    """Works for so long, or sleeps for as long as is said as a negative number."""
    time.sleep(max(-seconds, 0.0))
    end = time.process_time() + max(seconds, 0.0)
    while time.process_time() < end:
        pass
    return "done"


def test_patience_is_with_what_works_and_not_with_what_hangs(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(processes, "_WORKED", 0.0)  # as on a machine on which it hardly gets a turn
    busy = processes._Patience(os.getpid(), 0.05)
    time.sleep(0.06)
    answers_late(0.02)
    assert busy.left() > 0, "it has worked, and not for as long as it may"
    answers_late(0.06)
    time.sleep(0.06)
    assert busy.left() == 0, "it has had all its time"
    asleep = processes._Patience(1, 0.01)
    time.sleep(0.02)
    assert asleep.left() == 0
