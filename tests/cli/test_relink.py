"""``reflexa relink``: sources that were moved or renamed are found by their bytes, or by their names with what differs."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest

from reflexa.progress import quiet
from reflexa.project import lock, store
from reflexa.project.moved import Elsewhere, look_for
from reflexa.project.store import SourceFile
from reflexa.session.sources import demo_copy
from tests.helpers.commands import run
from tests.helpers.files import DATA

FILE = "deckhand.glb"


@pytest.fixture
def project(tmp_path: Path) -> Path:
    folder = tmp_path / "ferry"
    shutil.copytree(demo_copy(), folder)
    shutil.rmtree(folder / ".reflexa", ignore_errors=True)
    (tmp_path / "deep" / "down").mkdir(parents=True)
    shutil.move(folder / "sources" / FILE, tmp_path / "deep" / "down" / "renamed.glb")
    return folder


def test_a_renamed_file_is_found_and_used(project: Path, tmp_path: Path) -> None:
    status, out, _ = run("relink", project, "--look-in", tmp_path / "deep", "--json")
    assert status == 1, "found, but not used"
    (row,) = json.loads(out)["missing"]
    assert row["file"] == FILE and row["same"].endswith("renamed.glb")
    before = (project / "project.json").read_bytes()
    assert run("relink", project)[0] == 1 and (project / "project.json").read_bytes() == before
    status, out, err = run("relink", project, "--look-in", tmp_path / "deep", "--use")
    assert status == 0 and "was copied into the project" in out, err
    now = store.load(project)
    assert FILE not in {s.file for s in now.sources} and {t.source.file for t in now.takes} >= {"renamed.glb"}
    assert run("relink", project)[1] == "Every source is there.\n"


def test_another_file_of_the_name_is_told_with_what_differs(project: Path, tmp_path: Path) -> None:
    shutil.copy(DATA / "hand_left.glb", tmp_path / "deep" / FILE)
    (tmp_path / "deep" / "down" / "renamed.glb").unlink()
    status, out, _ = run("relink", project, "--look-in", tmp_path / "deep", "--use")
    assert status == 1 and "another file of this name" in out and "Its skeleton is another one" in out
    assert FILE in {s.file for s in store.load(project).sources}


def test_a_project_that_is_open_is_left_alone(project: Path, tmp_path: Path) -> None:
    held = lock.take(project)
    status, _, err = run("relink", project, "--look-in", tmp_path / "deep", "--use")
    held.release()
    assert status not in (0, 1) and "is open already" in err


def test_what_cannot_be_read_is_passed_over_and_links_end(tmp_path: Path) -> None:
    (tmp_path / "round").symlink_to(tmp_path)
    (tmp_path / "gone.glb").symlink_to(tmp_path / "nowhere.glb")
    found = look_for(
        (SourceFile("gone.glb", digest="0" * 64), SourceFile("b.bvh")), [tmp_path, tmp_path / "no folder"], quiet
    )
    assert found == {"gone.glb": Elsewhere(), "b.bvh": Elsewhere()}
