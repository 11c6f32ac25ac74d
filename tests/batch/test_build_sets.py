"""A take with its variations, or a folder of takes, built as a set."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.steps import make
from reflexa.take import Source, Take, Varies
from reflexa.take.families import as_parent
from tests.helpers.commands import run
from tests.helpers.files import DATA

RUN = "humanoid3d_run.bvh"
LEAN = make("mirror", "Swap")


@pytest.fixture
def project(tmp_path: Path) -> Path:
    folder = tmp_path / "project"
    (folder / "sources").mkdir(parents=True)
    shutil.copy(DATA / RUN, folder / "sources")
    parent = Take("Run", Source(RUN, "humanoid3d_run"), (LEAN,), id="parent")
    family = []
    for weight in (0.25, 0.5):
        varies = Varies("parent", ((LEAN.id, "weight", weight),))
        family.append(
            as_parent(parent, replace(parent, name=f"Run {weight}", id=f"{weight}", folder="soft", varies=varies))
        )
    other = replace(parent, name="Other", id="other", steps=())
    store.save(Project("p", (SourceFile(RUN),), (parent, *family, other)), folder)
    return folder


def built(folder: Path, *more: object) -> set[str]:
    status, out, err = run("build", folder, "--json", "--jobs", 1, *more)
    assert status == 0, err
    return {b["take"] for b in json.loads(out)["built"]}


def test_a_set_is_built_by_the_name_of_its_take(project: Path) -> None:
    assert built(project, "--only", "Run") == {"Run", "Run 0.25", "Run 0.5"}
    assert built(project) == {"Other"}, "what is known of the others is kept"
    status, out, _ = run("build", project, "--json")
    assert status == 0 and json.loads(out)["gone"] == []
    assert json.loads(out)["sets"]["Run"] == [
        {"take": f"Run {w}", "values": {"Swap.weight": str(w)}} for w in (0.25, 0.5)
    ]


def test_a_folder_or_one_variation(project: Path) -> None:
    assert built(project, "--only", "Run 0.5", "--only", "Other") == {"Run 0.5", "Other"}
    assert built(project, "--only", "soft") == {"Run 0.25"}
    status, _, err = run("build", project, "--only", "Rum")
    assert status != 0 and "there is no take, folder or set of variations 'Rum'" in err and "Run" in err
