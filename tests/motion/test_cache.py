"""Compiled loops where no cache can be kept: another folder, or none, with one line; and caches that are damaged or full."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.helpers.files import DATA, ROOT

# One loop is enough: to compile them all would take a minute.
SAYS = """
from reflexa import places
from reflexa.motion.kernels import compiling, rows
import numpy as np
rows.turned(np.zeros((1, 3), dtype=np.int64), np.zeros((1, 3), dtype=np.int64), np.ones((2, 1)), np.empty((2, 1, 4)))
print(compiling.folder())
"""


def python(text: str, **env: str) -> subprocess.CompletedProcess[str]:
    given = {k: v for k, v in os.environ.items() if not k.startswith("XDG_")}
    return subprocess.run(
        [sys.executable, "-c", text],
        env={**given, "PYTHONPATH": str(ROOT), **env},
        cwd=ROOT,
        capture_output=True,
        text=True,
    )


@pytest.mark.long
def test_a_cache_that_cannot_be_written_is_replaced_by_one_that_can(tmp_path: Path) -> None:
    """Nobody, not even the superuser, makes folders below /proc."""
    done = python(SAYS, HOME="/proc/nowhere", XDG_CACHE_HOME="/proc/nowhere", TMPDIR=str(tmp_path))
    assert done.returncode == 0, done.stderr
    (note,) = done.stderr.strip().splitlines()
    assert "/proc/nowhere" in note and str(tmp_path) in note and done.stdout.startswith(str(tmp_path))
    kept = next(tmp_path.iterdir())
    assert kept.stat().st_mode & 0o077 == 0, "code is loaded from it: it is nobody else's"


def test_without_any_place_nothing_is_kept() -> None:
    said = "import tempfile; tempfile.tempdir = '/proc/nowhere'\n" + SAYS
    done = python(said, HOME="/proc/nowhere", XDG_CACHE_HOME="/proc/nowhere")
    assert done.returncode == 0 and done.stdout.strip() == "None", done.stderr
    assert len(done.stderr.strip().splitlines()) == 1 and "nothing is kept" in done.stderr


@pytest.mark.long
def test_a_damaged_cache_costs_the_time_to_compile(tmp_path: Path) -> None:
    first = python(SAYS, XDG_CACHE_HOME=str(tmp_path))
    assert first.returncode == 0 and not first.stderr
    files = [p for p in tmp_path.rglob("*") if p.is_file()]
    assert files
    for path in files:
        path.write_bytes(b"\x80\x04rubbish")
    again = python(SAYS, XDG_CACHE_HOME=str(tmp_path))
    assert again.returncode == 0, again.stderr
    assert all(p.read_bytes() != b"\x80\x04rubbish" for p in files if p.suffix == ".nbi"), "it is fixed"


@pytest.mark.parametrize("command", [("info", DATA / "humanoid3d_walk.bvh"), ("steps", "mirror")])
def test_commands_work_without_a_home(command: tuple[object, ...], tmp_path: Path) -> None:
    given = {k: v for k, v in os.environ.items() if not k.startswith("XDG_") and k != "HOME"}
    env = {**given, "PYTHONPATH": str(ROOT), "HOME": "/proc/nowhere", "TMPDIR": str(tmp_path)}
    done = subprocess.run(
        [sys.executable, "-m", "reflexa", *map(str, command)], env=env, cwd=ROOT, capture_output=True, text=True
    )
    assert done.returncode == 0 and "Traceback" not in done.stderr
