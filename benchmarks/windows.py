"""``python -m benchmarks.windows [N]``: how much work is lost when a window is killed (kill -9) at random moments of its work."""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from reflexa.demo import FOLDER
from reflexa.project import recovery, store
from reflexa.project.transaction import OWN

_ROOT = Path(__file__).parents[1]

# Edits every 0.2 s and saves now and then; the project's name says when it was edited last.
_DRIVEN = """
import sys, time
from dataclasses import replace
from pathlib import Path
from reflexa.desktop.app import make_app
from reflexa.desktop.actions import files, opening
from reflexa.desktop.qt_loop import QtLoop
from reflexa.session import Session
from reflexa.session.sources import opened
from reflexa.desktop.window import MainWindow
app = make_app()
window = MainWindow(Session(QtLoop()))
opening.enter(window.desk, *opened(Path(sys.argv[1])))
n = 0
while True:
    until = time.monotonic() + 0.2
    while time.monotonic() < until:
        app.processEvents()
        time.sleep(0.005)
    n += 1
    window.session.edit(f"edit {n}", replace(window.session.project, name=f"edit {n} {time.time()}"))
    if n % 9 == 0:
        files.save(window.desk)
"""


def lost(folder: Path, after: float) -> float:
    """Seconds of work that are lost when a window that edits a project is killed so long after its first edit was kept; infinite
    where what is left cannot be opened."""
    env = {**os.environ, "PYTHONPATH": str(_ROOT), "QT_QPA_PLATFORM": "offscreen"}
    before = store.load(folder)
    driven = subprocess.Popen([sys.executable, "-c", _DRIVEN, str(folder)], env=env, stderr=subprocess.DEVNULL)
    end = time.monotonic() + 60
    while not list((folder / OWN).glob("recovery-*")) and time.monotonic() < end and driven.poll() is None:
        time.sleep(0.02)
    time.sleep(after)
    now = time.time()
    driven.send_signal(signal.SIGKILL)
    driven.wait()
    saved, kept = store.load(folder), recovery.found(folder)
    for project in [saved] if kept is None else [kept.project, saved]:
        if len(project.takes) != len(before.takes) or project.lost:
            return float("inf")
    newest = max(_when(p.name) for p in ([saved] if kept is None else [kept.project, saved]))
    return now - newest


def _when(name: str) -> float:
    return float(name.split()[-1]) if name.startswith("edit ") else 0.0


def main(count: int) -> None:
    rng, worst, bad = random.Random(1), 0.0, 0
    for _ in range(count):
        with tempfile.TemporaryDirectory() as temporary:
            folder = Path(temporary) / "project"
            shutil.copytree(FOLDER, folder)
            seconds = lost(folder, rng.uniform(0.0, 2.5))
        worst, bad = max(worst, seconds), bad + (seconds > 2.0)
    print(f"{count} windows killed at work: {bad} lost more than 2 s, at most {worst:.2f} s were lost")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100)
