"""A project of many sources, and a brake on reading them."""

from __future__ import annotations

import shutil
import threading
from pathlib import Path

from reflexa.formats import Imported
from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.session import reading
from reflexa.take import Source, Take
from tests.helpers.files import DATA

WALK = "humanoid3d_walk.bvh"


def many_sources(folder: Path) -> Path:
    """A project of forty sources, each with a take, the last of which is missing."""
    (folder / "sources").mkdir(parents=True)
    names = [f"walk {i:02}.bvh" for i in range(40)]
    for name in names[:-1]:
        shutil.copy(DATA / WALK, folder / "sources" / name)
    takes = tuple(Take(n.removesuffix(".bvh"), Source(n, Path(n).stem)) for n in names)
    store.save(Project("Many", tuple(SourceFile(n) for n in names), takes), folder)
    return folder


def held(monkeypatch) -> threading.Event:
    """What is read in the background waits until this is set."""
    go, real = threading.Event(), reading.read_source

    def read(folder: Path, entry: SourceFile) -> Imported:
        go.wait(30)
        return real(folder, entry)

    monkeypatch.setattr(reading, "read_source", read)
    return go
