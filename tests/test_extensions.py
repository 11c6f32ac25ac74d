"""Extensions in packages of their own: the example of docs/ is installed and run; one that is broken costs itself alone."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from tests.helpers.files import DATA, ROOT


@pytest.fixture(scope="module")
def place(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder into which the example package is installed, as anybody would."""
    at = tmp_path_factory.mktemp("installed")
    source = shutil.copytree(ROOT / "docs/example", at / "source")
    pip = [
        sys.executable,
        "-m",
        "pip",
        "install",
        "--quiet",
        "--no-index",
        "--no-deps",
        "--no-build-isolation",
        "--target",
        "packages",
    ]
    subprocess.run([*pip, str(source)], cwd=at, check=True, timeout=120)
    return at / "packages"


def reflexa(place: Path, *args: object) -> subprocess.CompletedProcess[str]:
    env = {**os.environ, "PYTHONPATH": f"{place}{os.pathsep}{ROOT}"}
    command = [sys.executable, "-m", "reflexa", *map(str, args)]
    return subprocess.run(command, env=env, capture_output=True, text=True, timeout=120)


@pytest.mark.long
def test_the_example_is_a_step_and_a_finding(place: Path, tmp_path: Path) -> None:
    said = reflexa(place, "steps", "bob", "--json")
    assert "From wave to wave" in said.stdout and said.stderr == ""
    walk, out = DATA / "humanoid3d_walk.bvh", tmp_path / "out"
    done = reflexa(place, "apply", walk, "--step", "bob:height=30,seconds=0.5", "--out", out, "--json")
    assert done.returncode == 0, done.stderr
    differs = reflexa(place, "diff", walk, out / walk.name, "--json")
    assert differs.returncode == 1 and json.loads(differs.stdout)
    limits = tmp_path / "limits.json"
    limits.write_text(json.dumps({"reflexa": "thresholds", "version": 1, "thresholds": {"adrift": 0.5}}))
    found = reflexa(place, "check", walk, "--thresholds", limits, "--json")
    assert "drifts" in found.stdout, found.stderr


@pytest.mark.long
def test_one_that_is_broken_is_told_and_left_out(place: Path, tmp_path: Path) -> None:
    packages = Path(shutil.copytree(place, tmp_path / "packages"))
    (packages / "reflexa_tide.py").write_text("raise RuntimeError('the tide is out')\n")
    said = reflexa(packages, "steps", "--json")
    assert said.returncode == 0 and json.loads(said.stdout)
    assert "reflexa-tide" in said.stderr.replace("_", "-") and "the tide is out" in said.stderr
