"""Names of results are planned in one place, and files are written as a person's own: mode, links, both or none."""

from __future__ import annotations

import os
import signal
import stat
from pathlib import Path

import pytest

from reflexa.batch.tidy import tidied
from reflexa.cli.commands.join import segment_from_text
from reflexa.errors import RecipeError
from reflexa.formats import FORMATS, encode, files, read
from reflexa.formats.files import write_together
from reflexa.names import file_name
from reflexa.output.naming import changed_name, numbered
from tests.formats.test_asf_amc import ARM, HEAD, pair
from tests.helpers.commands import run
from tests.helpers.files import DATA


def swings(folder: Path) -> tuple[Path, Path]:
    """A clip in a format that is only read, and another of its name in the format that results of it are written in."""
    for name in ("a", "b"):
        (folder / name).mkdir()
    poses = ["root 0 1 0 0 0 0\nlhumerus 0 0 0\nlradius 0"] * 2
    pair(
        folder / "a",
        HEAD + ARM,
        ":FULLY-SPECIFIED\n:DEGREES\n" + "".join(f"{i + 1}\n{p}\n" for i, p in enumerate(poses)),
    )
    document = read(DATA / "humanoid3d_walk.bvh")
    (folder / "b/swing.glb").write_bytes(encode(list(document.clips), document.rig, "glb"))
    return folder / "a/swing.amc", folder / "b/swing.glb"


def test_two_results_of_one_file_are_refused_whatever_they_come_of(tmp_path: Path) -> None:
    both = swings(tmp_path)
    for command in (("apply", *both, "--step", "mirror"), ("fix", *both)):
        status, _, err = run(*command, "--out", tmp_path / "out")
        assert status == 2 and "swing.glb would be written for" in err and not (tmp_path / "out").exists()


def test_a_format_that_is_only_read_is_gone_on_with(tmp_path: Path) -> None:
    clip, _ = swings(tmp_path)
    said = ("apply", clip, "--step", "mirror", "--out", tmp_path / "out")
    assert run(*said)[0] == 0 and (tmp_path / "out/swing.glb").exists()
    status, out, _ = run(*said, "--resume")
    assert status == 0 and "exists already" in out


def test_clean_copies_get_their_number_before_the_suffix(tmp_path: Path) -> None:
    for name in ("a", "b"):
        (tmp_path / name).mkdir()
        (tmp_path / name / "walk.bvh").write_bytes((DATA / "humanoid3d_walk.bvh").read_bytes())
    made = tidied([tmp_path / "a/walk.bvh", tmp_path / "b/walk.bvh"], tmp_path / "out")
    assert sorted(p.path.name for p in made.written) == ["walk 2.bvh", "walk.bvh"] and not made.errors
    assert numbered(["a", "A", "a"], [FORMATS["glb"], FORMATS["glb"], FORMATS["bvh"]]) == ["a.glb", "A 2.glb", "a.bvh"]


@pytest.mark.parametrize("name", ["walk & turn", "50% slower", "take #4", "hold – release", "ça va!"])
def test_what_a_name_may_hold_stays_in_it(name: str) -> None:
    assert file_name(name) == name and not changed_name(name)


def test_what_a_name_may_not_hold_is_told(tmp_path: Path) -> None:
    assert file_name("a/b:c") == "a_b_c" and "'a/b:c' is not a valid file name" in changed_name("a/b:c")
    walk = DATA / "humanoid3d_walk.bvh"
    status, out, _ = run("apply", walk, "--step", "mirror", "--name", "{clip}: there", "--out", tmp_path)
    assert status == 0 and "is not a valid file name" in out and (tmp_path / "humanoid3d_walk_ there.bvh").exists()


def test_a_segment_may_hold_commas(tmp_path: Path) -> None:
    found = segment_from_text("there, and back.glb#walk, slowly,first=4,reversed,speed=0.5")
    assert (found.file, found.clip) == ("there, and back.glb", "walk, slowly")
    assert (found.first, found.reversed, found.speed) == (4, True, 0.5)
    odd = tmp_path / "take #4.glb"
    odd.touch()
    found = segment_from_text(f"{odd}#walk #2,last=3")
    assert (found.file, found.clip, found.last) == (str(odd), "walk #2", 3)
    assert segment_from_text(str(odd)).file == str(odd)
    with pytest.raises(RecipeError, match="'fist=4' is not an option of a segment"):
        segment_from_text("walk.glb,fist=4")
    with pytest.raises(RecipeError, match="not a number"):
        segment_from_text("walk.glb,first=x")


# Files ----------------------------------------------------------------------------------------------------------


def test_a_file_that_is_written_over_keeps_its_mode_and_its_link(tmp_path: Path) -> None:
    real, link = tmp_path / "store/real.txt", tmp_path / "link.txt"
    real.parent.mkdir()
    real.write_bytes(b"old")
    real.chmod(0o640)
    link.symlink_to(real)
    write_together({link: b"new"}, overwrite=True)
    assert link.is_symlink() and real.read_bytes() == b"new" and stat.S_IMODE(real.stat().st_mode) == 0o640
    before = os.umask(0o027)
    try:
        write_together({tmp_path / "fresh.txt": b"x"})
    finally:
        os.umask(before)
    assert stat.S_IMODE((tmp_path / "fresh.txt").stat().st_mode) == 0o640
    assert sorted(p.name for p in tmp_path.rglob("*")) == ["fresh.txt", "link.txt", "real.txt", "store"]


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
@pytest.mark.parametrize("at", [1, 2])
def test_who_interrupts_between_two_renames_gets_both(at: int, number: int, tmp_path: Path, monkeypatch) -> None:
    pair = {tmp_path / "a.glb": b"clip", tmp_path / "a.glb.clip.json": b"manifest"}
    real, count = os.replace, 0

    def interrupted(*args: object) -> None:
        nonlocal count
        real(*args)  # type: ignore[arg-type]
        count += 1
        if count == at:
            os.kill(os.getpid(), number)

    monkeypatch.setattr(files.os, "replace", interrupted)
    before = signal.signal(number, lambda *_: (_ for _ in ()).throw(KeyboardInterrupt))
    try:
        with pytest.raises(KeyboardInterrupt):
            write_together(pair)
    finally:
        signal.signal(number, before)
    assert {p: p.read_bytes() for p in tmp_path.iterdir()} == pair
