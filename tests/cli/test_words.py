"""What the command line says, and where: results, words, stops, errors that help there."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from reflexa.formats import encode
from reflexa.formats.usd.read import read_here
from reflexa.log import write_down_error
from tests.helpers.commands import run
from tests.helpers.files import DATA, ROOT

WALK = DATA / "humanoid3d_walk.bvh"


def process(*words: object, **given: object) -> subprocess.Popen[bytes]:
    env = {**os.environ, "PYTHONPATH": str(ROOT)}
    return subprocess.Popen(
        [sys.executable, "-m", "reflexa", *map(str, words)], env=env, stderr=subprocess.PIPE, **given
    )


@pytest.mark.parametrize(
    ("number", "status"), [(signal.SIGINT, 130), pytest.param(signal.SIGTERM, 143, marks=pytest.mark.long)]
)
def test_who_is_stopped_says_so_by_its_status(number: int, status: int, tmp_path: Path) -> None:
    clips = []
    for i in range(60):
        clips.append(tmp_path / f"walk {i}.bvh")
        clips[-1].hardlink_to(clips[0]) if i else clips[0].write_bytes(WALK.read_bytes())
    out = tmp_path / "out"
    with process("apply", *clips, "--step", "foot-lock", "--out", out, "--jobs", 1) as child:
        while not out.exists() or not list(out.glob("*.bvh")):
            assert child.poll() is None, child.stderr.read()
            time.sleep(0.01)  # leave it its turn
        child.send_signal(number)
        _, err = child.communicate()
    assert child.returncode == status and b"Traceback" not in err, err
    written = {p.name for p in out.iterdir()}
    assert not [n for n in written if n.startswith(".")], "nothing half done is left"
    assert {n for n in written if n.endswith(".bvh")} == {
        n.removesuffix(".clip.json") for n in written if n.endswith("json")
    }


def test_a_pipe_that_nobody_reads_is_no_matter_for_words() -> None:
    with process("steps", "--json", stdout=subprocess.PIPE) as child:
        child.stdout.close()
        _, err = child.communicate()
    assert err == b"" and child.returncode in (0, 4)


def test_results_stand_on_standard_output_alone(tmp_path: Path) -> None:
    for words in (("convert", WALK, tmp_path / "a.glb"), ("apply", WALK, "--step", "mirror", "--out", tmp_path / "o")):
        status, out, err = run(*words)
        assert status == 0 and "read back with an error of at most" in out and err == ""
        status, out, err = run(*words, "--force", "--json")
        assert status == 0 and json.loads(out) and err == ""
        status, out, err = run(*words, "--force", "--quiet")
        assert (status, out, err) == (0, "", "")


def test_an_unknown_setting_names_its_neighbours(tmp_path: Path) -> None:
    status, _, err = run("apply", WALK, "--step", "mirror:plan=world", "--out", tmp_path)
    assert status == 2 and "mirror has no setting 'plan'. Did you mean plane?" in err


def test_errors_name_the_file_and_what_helps_here(tmp_path: Path) -> None:
    snake = tmp_path / "snake.bvh"
    snake.write_text(
        "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n"
        "JOINT b\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\n}\n"
        "MOTION\nFrames: 2\nFrame Time: 0.033\n" + "0 0 0 0 0 0 0 0 0\n" * 2
    )
    status, _, err = run("apply", WALK, snake, "--step", "root-joint", "--out", tmp_path / "out")
    assert status == 2 and "snake.bvh" in err and "Figure view" not in err and "--rig" in err


def test_a_package_that_is_missing_is_no_damaged_file(
    tmp_path: Path, monkeypatch, deckhand_rig, deckhand_clips
) -> None:
    path = tmp_path / "a.usda"
    path.write_bytes(encode([deckhand_clips["lantern idle"].cut(0, 2)], deckhand_rig, "usda"))
    monkeypatch.setitem(sys.modules, "pxr.Sdf", None)
    with pytest.raises(Exception, match="usd-core") as found:
        read_here(path)
    assert found.value.exit_status == 2


def test_the_one_option_for_more_words_tells_the_log_too(capsys) -> None:
    run("info", DATA / "humanoid3d_walk.bvh", "--verbose")
    write_down_error(ZeroDivisionError("the tide is out"), "the tide")
    assert "ZeroDivisionError: the tide is out" in capsys.readouterr().err
    run("info", DATA / "humanoid3d_walk.bvh")
    write_down_error(ZeroDivisionError("the tide is out"), "the tide")
    assert capsys.readouterr().err == ""


def test_bytes_that_are_no_text_are_refused_in_words(tmp_path: Path) -> None:
    for said in ("mirror:plane=wo\udcffrld", "mir\udcffror", "mirror:pla\udcffne=world", "correction:name=\udcff"):
        status, _, err = run("apply", WALK, "--step", said, "--out", tmp_path / "out")
        assert status == 2 and err.startswith("error: ") and "Traceback" not in err, (said, err)
    assert not (tmp_path / "out").exists()
