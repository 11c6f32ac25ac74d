"""Building a project: what is due and why, the same bits however it is built, and whatever can come between."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree as Xml

import pytest

from reflexa.batch import build as building
from reflexa.batch import digests, inputs
from reflexa.batch import run as running
from reflexa.batch.build import STATE, plan
from reflexa.errors import RecipeError
from reflexa.formats import FORMATS, read
from reflexa.formats.files import digest
from reflexa.output.naming import clips_by_file
from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.steps import make
from reflexa.take import Export, Range, Source, Take
from reflexa.take.clips import TAKE
from tests.helpers.commands import run
from tests.helpers.files import DATA, ROOT

WALK, RUN = "humanoid3d_walk.bvh", "humanoid3d_run.bvh"


@pytest.fixture
def project(tmp_path: Path) -> Path:
    """Three takes: one mirrored, one that blends that in, one with a range of its own file."""
    folder = tmp_path / "ferry"
    (folder / "sources").mkdir(parents=True)
    for name in (WALK, RUN):
        shutil.copy(DATA / name, folder / "sources" / name)
    takes = (
        Take("Both", Source(WALK, WALK[:-4]), (make("blend", "With it", clip=f"{TAKE}Mirrored"),), id="b"),
        Take("Mirrored", Source(WALK, WALK[:-4]), (make("mirror", "Swap"),), id="m"),
        Take(
            "Run", Source(RUN, RUN[:-4]), (), Export(ranges="apart", format="bvh"), ranges=(Range("out", 0, 9),), id="r"
        ),
    )
    store.save(Project("Ferry", (SourceFile(WALK), SourceFile(RUN)), takes), folder)
    return folder


def edited(at: Path, who: str, **how: object) -> None:
    """The project with a take changed, saved."""
    project = store.load(at)
    take = project.take(who)
    assert take is not None
    store.save(project.with_take(who, replace(take, **how)), at)  # type: ignore[arg-type]


def built(folder: Path, *more: object) -> dict[str, list[str]]:
    """Build; which takes were, and why."""
    status, out, err = run("build", folder, "--json", "--jobs", 1, *more)
    assert status == 0, err
    return {b["take"]: b["why"] for b in json.loads(out)["built"]}


def bits(folder: Path) -> dict[str, str]:
    return {p.name: digest(p) for p in sorted(folder.iterdir()) if p.name != STATE}


def test_what_is_due_is_built_and_nothing_else(project: Path) -> None:
    assert list(built(project)) == ["Mirrored", "Both", "Run"]  # what is drawn on comes first
    names = {p.name for p in (project / "build").iterdir()}
    assert names == {
        "Mirrored.glb", "Mirrored.glb.clip.json", "Both.glb", "Both.glb.clip.json", "Run out.bvh", "Run out.bvh.clip.json", STATE,
    }  # fmt: skip
    assert built(project) == {}
    edited(project, "Mirrored", steps=(make("mirror", "Swap", plane="world"),))
    assert built(project) == {"Mirrored": ["its steps are others"], "Both": ["take Mirrored is another"]}
    edited(project, "Run", export=Export(name="Dash", ranges="apart", format="bvh"))
    status, out, _ = run("build", project, "--json", "--jobs", 1)
    assert status == 0
    (dash,) = json.loads(out)["built"]
    assert dash["take"] == "Run" and set(dash["why"]) == {"its export settings are others", "its name is another"}
    assert json.loads(out)["gone"] == ["Run out.bvh"]  # nobody's now; it is left where it is, and named
    edited(project, "Run", folder="Fast ones")
    assert built(project) == {}  # where it stands in a list is nothing to it
    with (project / "sources" / RUN).open("a") as f:
        f.write("\n")
    assert built(project) == {"Run": [f"source {RUN} is another"]}
    (project / "build/Both.glb").unlink()
    assert built(project) == {"Both": ["Both.glb is missing"]}


def test_another_version_of_the_computation_builds_all(project: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    built(project)
    monkeypatch.setattr(inputs, "computation", lambda: "another")
    assert set(built(project).values().__iter__().__next__()) == {"the computation is another"}


def test_the_same_bits_in_one_process_in_two_and_elsewhere(project: Path, tmp_path: Path) -> None:
    built(project)
    other = Path(shutil.copytree(project, tmp_path / "elsewhere/checkout", ignore=shutil.ignore_patterns("build")))
    status, _, _ = run("build", other, "--jobs", 2, "--out", tmp_path / "two", "--quiet")
    assert status == 0 and bits(tmp_path / "two") == bits(project / "build")


def test_what_others_changed_is_left_alone(project: Path) -> None:
    built(project)
    target = project / "build/Mirrored.glb"
    target.write_bytes(target.read_bytes() + b"mine")
    kept = target.read_bytes()
    edited(project, "Mirrored", steps=())
    status, out, err = run("build", project, "--json")
    assert status == 4 and json.loads(out)["left_alone"] == [
        {"take": "Mirrored", "why": "Mirrored.glb was changed by someone else"}
    ]
    assert target.read_bytes() == kept and "not touched" in err
    assert "Mirrored" in built(project, "--force") and target.read_bytes() != kept


def test_what_was_there_before_is_not_written_over(project: Path) -> None:
    (project / "build").mkdir()
    (project / "build/Both.glb").write_text("of somebody")
    status, out, _ = run("build", project, "--json")
    assert status == 4 and json.loads(out)["left_alone"][0]["why"].startswith("Both.glb exists already")
    assert (project / "build/Both.glb").read_text() == "of somebody"


def test_a_dry_run_says_why_and_writes_nothing(project: Path) -> None:
    status, out, err = run("build", project, "--dry-run")
    assert status == 0 and "Mirrored: it has not been built yet" in out and "3 to be built" in out and not err
    assert not (project / "build").exists()


def test_what_was_built_is_told_as_such(project: Path) -> None:
    status, out, _ = run("build", project, "--jobs", 1)
    assert status == 0 and "built Mirrored.glb (first build)" in out and "it has not been built yet" not in out


def test_takes_that_are_gone_leave_their_files(project: Path) -> None:
    built(project)
    whole = store.load(project)
    store.save(replace(whole, takes=whole.takes[:2]), project)
    status, out, _ = run("build", project, "--json")
    assert status == 0 and json.loads(out)["gone"] == ["Run out.bvh"] and (project / "build/Run out.bvh").exists()


def test_a_renamed_take_is_known_by_its_id(project: Path) -> None:
    built(project)
    edited(project, "Run", name="Sprint")
    assert built(project) == {"Sprint": ["its name is another"]}


def test_findings_fail_a_check_and_are_junit(project: Path) -> None:
    edited(project, "Run", steps=(make("correction", "Pop"),), ranges=())
    assert run("build", project, "--check", "--quiet")[0] in (0, 1)
    status, out, _ = run("build", project, "--check", "--format", "junit")
    suites = Xml.fromstring(out)
    assert suites.get("name") == "reflexa build" and len(suites.findall(".//testcase")) == 3
    failures = len(suites.findall(".//failure"))
    assert (status == 1) == (failures > 0)


def test_takes_that_draw_on_each_other_and_files_of_one_name_are_refused(project: Path) -> None:
    edited(project, "Run", export=Export(name="both", format="glb"), ranges=())
    status, _, err = run("build", project)
    assert status == 2 and "both.glb of" in err.lower() and not (project / "build").exists()
    edited(project, "Run", export=Export())
    edited(project, "Mirrored", steps=(make("blend", "Round", clip=f"{TAKE}Both"),))
    status, _, err = run("build", project)
    assert status == 2 and "Both → Mirrored → Both" in err


@pytest.mark.parametrize("where", ["sources", "sources/deep", "takes", "rigs"])
def test_not_among_the_projects_own_files(project: Path, where: str) -> None:
    with pytest.raises(RecipeError, match="among the files of the project"):
        plan(project, project / where)


def test_a_missing_source_costs_its_takes_alone(project: Path) -> None:
    (project / "sources" / RUN).unlink()
    status, out, _ = run("build", project, "--json")
    said = json.loads(out)
    assert status == 3 and [b["take"] for b in said["built"]] == ["Mirrored", "Both"]
    assert "missing" in said["left_alone"][0]["why"]


def test_a_damaged_state_is_said(project: Path) -> None:
    built(project)
    (project / "build" / STATE).write_text("{]")
    status, _, err = run("build", project)
    assert status == 3 and STATE in err


def test_a_full_disk_leaves_whole_files(project: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    real, count = os.replace, iter(range(100))

    def full(a: object, b: object) -> None:
        if next(count) == 4:
            raise OSError(28, "No space left on device")
        real(a, b)  # type: ignore[arg-type]

    monkeypatch.setattr("reflexa.formats.files.os.replace", full)
    status, _, err = run("build", project, "--jobs", 1)
    assert status == 4 and "no space left" in err
    monkeypatch.setattr("reflexa.formats.files.os.replace", real)
    assert not list((project / "build").glob(".*.part"))
    first = bits(project / "build")
    assert all(f"{n}.clip.json" in first for n in first if n.endswith((".glb", ".bvh")))
    built(project)
    assert len(bits(project / "build")) == 6


@pytest.mark.long
@pytest.mark.parametrize("after", [0.1, 0.9, 1.6])
def test_a_builder_that_is_killed_is_gone_on_from(project: Path, tmp_path: Path, after: float) -> None:
    env = {**os.environ, "PYTHONPATH": str(ROOT)}
    process = subprocess.Popen(
        [sys.executable, "-m", "reflexa", "build", str(project), "--jobs", "1", "--quiet"],
        env=env,
        stderr=subprocess.DEVNULL,
    )
    out = project / "build"
    while not (out / STATE).exists() and process.poll() is None:
        time.sleep(0.005)
    time.sleep(after * 0.3)
    process.send_signal(signal.SIGKILL)
    process.wait()
    built(project)
    shutil.copytree(project, tmp_path / "b", ignore=shutil.ignore_patterns("build"))
    built(tmp_path / "b")
    assert {k: v for k, v in bits(out).items() if not k.startswith(".")} == bits(tmp_path / "b/build")


MAKE = building.make


def dies(task: building.Task) -> building.Made:
    """Ends its process on one of the takes."""
    if task.name == "Run":
        os.kill(os.getpid(), signal.SIGKILL)
    return MAKE(task)


def test_a_take_that_ends_its_workers_is_given_up_and_the_rest_is_built(
    project: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(building, "make", dies)
    status, _, err = run("build", project, "--jobs", 2)
    assert status == 4 and "3 processes were ended from outside" in err and "Run" in err
    assert (project / "build/Mirrored.glb").exists(), "what harms nobody is built"
    monkeypatch.setattr(building, "make", MAKE)
    built(project)
    assert len(bits(project / "build")) == 6


@pytest.mark.long
def test_a_build_that_watches_goes_on_by_itself(project: Path) -> None:
    env = {**os.environ, "PYTHONPATH": str(ROOT)}
    process = subprocess.Popen(
        [sys.executable, "-m", "reflexa", "build", str(project), "--jobs", "1", "--watch"],
        env=env,
        stderr=subprocess.DEVNULL,
    )
    try:
        while not (project / "build/Run out.bvh.clip.json").exists():
            time.sleep(0.05)
        before, now = digest(project / "build/Mirrored.glb"), 0
        while digest(project / "build/Mirrored.glb") == before:
            edited(project, "Mirrored", steps=(), note=str(now := now + 1))  # again, until it watches
            time.sleep(0.2)
    finally:
        process.send_signal(signal.SIGINT)
        process.wait(10)


def test_two_ranges_whose_names_are_one_file_are_refused(project: Path) -> None:
    edited(project, "Run", ranges=(Range("a/b", 0, 4), Range("a_b", 5, 9)))
    status, _, err = run("build", project)
    assert status == 2 and "run a_b.bvh" in err
    clips = [replace(c, name=n) for c in read(DATA / RUN).clips for n in ("a/b", "a_b")]
    with pytest.raises(RecipeError, match="two clips would be written to run a_b"):
        clips_by_file("Run", clips, FORMATS["bvh"], True)


def dies_once(job: running.FileJob) -> running.Done:
    """Ends its process the first time that it is at one of the files."""
    died = job.out.parent / "died"
    if job.path.name == RUN and not died.exists():
        died.touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return RUN_ONE(job)


RUN_ONE = running.run_one


def test_a_clip_whose_worker_is_killed_is_taken_up_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(running, "run_one", dies_once)
    said = ["apply", DATA / WALK, DATA / RUN, "--step", "mirror", "--jobs", 2]
    status, _, err = run(*said, "--out", tmp_path / "out")
    assert status == 0 and (tmp_path / "died").exists() and "error" not in err
    monkeypatch.setattr(running, "run_one", RUN_ONE)
    assert run(*said, "--out", tmp_path / "whole")[0] == 0
    assert bits(tmp_path / "out") == bits(tmp_path / "whole")
    assert not [p for p in (tmp_path / "out").glob("*") if p.name.startswith(".")]


def test_what_was_built_is_not_read_again_and_yet_every_change_is_noticed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(digests, "kept_in", lambda: tmp_path / "cache/digests")
    folder, reads = tmp_path / "out", list[Path]()
    folder.mkdir()
    old = time.time_ns() - 10**11
    for name in ("a", "b"):
        (folder / name).write_bytes(b"one")
        os.utime(folder / name, ns=(old, old))
    whole = digests.digest
    monkeypatch.setattr(digests, "digest", lambda path: reads.append(path) or whole(path))

    def look() -> list[str]:
        reads.clear()
        found = digests.Digests(folder)
        out = [found.of(n) for n in ("a", "b")]
        found.keep()
        return out

    first = look()
    assert len(reads) == 2 and look() == first and reads == []
    (folder / "a").write_bytes(b"two")  # as long as before
    changed = look()
    assert changed[0] != first[0] and changed[1] == first[1] and reads == [folder / "a"]
    look()
    assert reads == [folder / "a"], "what was written just now may be written again in the same instant"
    for damaged in (b"", b"[]", b'{"a": 3}', b'{"a": [1, 2, 3, 4]}'):
        next((tmp_path / "cache/digests").iterdir()).write_bytes(damaged)
        assert look() == changed
