"""No input is ever written over, no two results get one name, and whatever is given is answered in words."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from reflexa.names import file_name
from tests.helpers.commands import run
from tests.helpers.files import DATA, DECKHAND

WALK = DATA / "humanoid3d_walk.bvh"
ROOT = DATA.parents[1]


def copy(path: Path, to: Path) -> Path:
    to.parent.mkdir(parents=True, exist_ok=True)
    to.write_bytes(path.read_bytes())
    return to


def reflexa(*args: object, **env: str) -> subprocess.CompletedProcess[bytes]:
    """The command line as a process of its own."""
    said = [a if isinstance(a, bytes) else str(a) for a in args]
    variables = {**os.environ, "PYTHONPATH": str(ROOT), **env}
    variables = {k: v for k, v in variables.items() if v != "-"}
    return subprocess.run(
        [sys.executable, "-m", "reflexa", *said], capture_output=True, env=variables, cwd=ROOT, timeout=120
    )


def test_no_input_is_written_over_whatever_is_said(tmp_path: Path) -> None:
    a, b = copy(WALK, tmp_path / "a.bvh"), copy(DATA / "humanoid3d_run.bvh", tmp_path / "b.bvh")
    link = tmp_path / "link.bvh"
    os.link(b, link)
    before = {p: p.read_bytes() for p in (a, b)}
    for args in (
        ("apply", a, b, "--step", "mirror", "--out", tmp_path, "--name", "b", "--force"),
        ("apply", a, "--step", "mirror", "--out", tmp_path, "--name", "b", "--with", b, "--force"),
        ("apply", a, "--step", "mirror", "--out", tmp_path, "--name", "link", "--with", b, "--force"),
        ("apply", a, "--step", "retarget", "--rig", b, "--out", tmp_path, "--name", "b", "--force"),
        ("convert", a, b, "--rig", b, "--force"),
        ("convert", a, a, "--force"),
        ("join", a, b, "--out", b, "--force"),
        ("rig", a, "--out", a, "--force"),
        ("fix", a, "--out", tmp_path, "--force"),
        ("picture", a, "--out", tmp_path / "a.png", "--frames", "1"),
    ):
        run(*args)
        assert {p: p.read_bytes() for p in before} == before, args
    assert run("rig", a, "--out", a, "--force")[0] == 4


def test_two_results_of_one_name_are_refused_before_anything_is_written(tmp_path: Path) -> None:
    a, b = copy(WALK, tmp_path / "x/walk.bvh"), copy(DATA / "humanoid3d_run.bvh", tmp_path / "y/Walk.bvh")
    out = tmp_path / "out"
    for jobs in ("1", "2"):
        status, _, err = run("apply", a, b, "--step", "mirror", "--out", out, "--jobs", jobs)
        assert (
            status == 2
            and "walk.bvh would be written for" in err
            and str(a) in err
            and str(b) in err
            and not out.exists()
        )
    status, _, err = run("apply", DECKHAND, "--step", "mirror", "--out", out, "--name", "same")
    assert status == 2 and "twice" in err and not out.exists()
    assert run("apply", a, b, "--step", "mirror", "--out", out, "--name", "{clip} {file}", "--quiet")[0] == 2
    assert run("apply", a, "--step", "mirror", "--out", out, "--quiet")[0] == 0


def test_two_mended_clips_of_one_name_are_refused_too(tmp_path: Path) -> None:
    a, b = copy(DECKHAND, tmp_path / "x/hand.glb"), copy(DECKHAND, tmp_path / "y/hand.glb")
    status, _, err = run("fix", a, b, "--out", tmp_path / "out", "--force")
    assert (
        status == 2
        and "would be written for" in err
        and str(a) in err
        and str(b) in err
        and not (tmp_path / "out").exists()
    )


@pytest.mark.parametrize(
    "pattern", ["{file.nope}", "{file:>9999999999}", "{file!r}", "{nope}", "{", "a/{file}", "{0}", "{file}}"]
)
def test_a_pattern_of_names_is_a_plain_one(pattern: str, tmp_path: Path) -> None:
    status, _, err = run("apply", WALK, "--step", "mirror", "--out", tmp_path / "o", "--name", pattern)
    assert status == 2 and "{file}" in err and not (tmp_path / "o").exists()


def test_long_names_and_paths_are_answered(tmp_path: Path) -> None:
    far = tmp_path / ("x" * 300)
    for args in (
        ("info", far), ("check", far), ("apply", far, "--step", "mirror", "--out", tmp_path), ("convert", WALK, f"{far}.glb"),
        ("apply", WALK, "--step", "mirror", "--out", tmp_path / "o", "--rig", far), ("rig", WALK, "--out", far),
        ("apply", WALK, "--recipe", far, "--out", tmp_path / "o"), ("check", WALK, "--stage", far), ("diff", far, WALK),
        ("check", WALK, "--thresholds", far), ("review", far, "--out", tmp_path / "a.html"), (far,),
        ("picture", WALK, "--out", f"{far}.png"), ("steps", "x" * 300),
    ):  # fmt: skip
        status, _, err = run(*args)
        assert status in (2, 3, 4) and err and "Traceback" not in err, args
    assert run("apply", WALK, "--step", "mirror", "--out", tmp_path / "o", "--name", "n" * 300, "--quiet")[0] == 0
    (written,) = (tmp_path / "o").glob("*.bvh")
    assert len(written.name) < 200
    assert len(file_name("\U0001f6a2" * 300).encode()) <= 180 and file_name("\0") == "_"


def test_nesting_is_answered(tmp_path: Path) -> None:
    deep = "[" * 5000 + "]" * 5000
    status, _, err = run("apply", WALK, "--step", f"root-motion:path={deep}", "--out", tmp_path)
    assert status == 2 and "nested" in err
    for kind in ("recipe", "stage", "thresholds"):
        path = tmp_path / f"a.{kind}.json"
        path.write_text(
            f'{{"reflexa": "{kind}", "version": 1, "steps": {deep}, "props": {deep}, "thresholds": {deep}}}'
        )
        option = {"recipe": ("apply", WALK, "--recipe", path, "--out", tmp_path / "o")}.get(
            kind, ("check", WALK, f"--{kind}", path)
        )
        status, _, err = run(*option)
        assert status in (2, 3) and "Traceback" not in err


def test_a_word_that_is_no_command_says_what_is_near() -> None:
    slip = "app" + "ply"[:1] + "ply"
    status, _, err = run(slip, WALK)
    assert status == 2 and slip in err and "apply" in err.partition("Did you mean")[2]
    assert run("nothing-like-it")[0] == 2


def test_without_a_display_the_window_says_so_in_a_line() -> None:
    done = reflexa("--demo", DISPLAY="-", WAYLAND_DISPLAY="-", QT_QPA_PLATFORM="-")
    assert done.returncode == 2 and b"no display" in done.stderr and b"Traceback" not in done.stderr
    done = reflexa("--demo", DISPLAY=":987", WAYLAND_DISPLAY="-", QT_QPA_PLATFORM="-")
    assert done.returncode == 2 and b"no display" in done.stderr


@pytest.mark.long
def test_names_that_are_no_text_and_outputs_that_are_full(tmp_path: Path) -> None:
    odd = os.fsencode(tmp_path) + b"/w\xff\xfelk.bvh"
    Path(os.fsdecode(odd)).write_bytes(WALK.read_bytes())
    done = reflexa("info", odd)
    assert done.returncode == 0 and b"Traceback" not in done.stderr
    done = reflexa("apply", odd, "--step", "mirror", "--out", tmp_path / "o")
    assert b"Traceback" not in done.stderr and done.returncode == 0
    assert reflexa("info", os.fsencode(tmp_path) + b"/\xff.bvh").returncode == 3
    with open("/dev/full", "wb") as full:
        done = subprocess.run(
            [sys.executable, "-m", "reflexa", "info", str(WALK), "--json"], stdout=full, stderr=subprocess.PIPE, cwd=ROOT,
            env={**os.environ, "PYTHONPATH": str(ROOT)}, timeout=120,
        )  # fmt: skip
    assert done.returncode == 4 and b"no space left" in done.stderr and b"Traceback" not in done.stderr


def test_pipes_and_folders_are_no_clips(tmp_path: Path) -> None:
    pipe = tmp_path / "a.bvh"
    os.mkfifo(pipe)
    for path in (pipe, tmp_path, Path("/dev/zero"), Path("/dev/null")):
        status, _, err = run("info", path)
        assert status == 3 and err, path


def test_a_run_that_was_cut_off_goes_on(tmp_path: Path) -> None:
    """Results of the same inputs are passed over; what is another, or gone, is made anew. The bits are those of one run."""
    files = [shutil.copy(DATA / f"humanoid3d_{n}.bvh", tmp_path) for n in ("run", "walk")]
    steps, out = ("--step", "mirror"), tmp_path / "out"
    assert run("apply", files[0], *steps, "--out", out)[0] == 0
    status, said, _ = run("apply", *files, *steps, "--out", out, "--resume", "--json")
    plain = json.loads(said)
    assert status == 0 and len(plain["written"]) == 1 and plain["passed"][0]["file"] == str(out / "humanoid3d_run.bvh")
    assert run("apply", *files, *steps, "--out", tmp_path / "once")[0] == 0
    for path in (tmp_path / "once").iterdir():
        assert path.read_bytes() == (out / path.name).read_bytes()
    (out / "humanoid3d_walk.bvh").unlink()
    again = json.loads(run("apply", *files, *steps, "--out", out, "--resume", "--force", "--json")[1])
    assert [Path(w["file"]).name for w in again["written"]] == ["humanoid3d_walk.bvh"]
    status, said, err = run("apply", *files, "--step", "mirror:plane=world", "--out", out, "--resume", "--json")
    assert status == 4 and "exists already" in err  # of other inputs: nothing is written over unasked
    with_rig = ("--rig", DECKHAND, "--step", "retarget")
    for count in (2, 0):
        said = run("apply", *files, *with_rig, "--out", tmp_path / "on", "--resume", "--json")[1]
        assert len(json.loads(said)["written"]) == count
