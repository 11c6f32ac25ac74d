"""A project of many sources is open at once: what is looked at is read first, the rest while the window is used."""

from __future__ import annotations

import gc
import shutil
import threading
import weakref
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent

from reflexa.desktop.actions import files, opening
from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.window import MainWindow
from reflexa.formats import Imported
from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.session import Session, reading
from reflexa.session.sources import opened
from reflexa.take import Source, Take
from tests.helpers.files import DATA
from tests.helpers.windows import idle, ready

WALK = "humanoid3d_walk.bvh"


@pytest.fixture
def many(tmp_path: Path) -> Path:
    """A project of forty sources, each with a take, the last of which is missing."""
    folder = tmp_path / "many"
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


def test_the_first_take_is_there_before_the_other_sources_are(empty, qtbot, many: Path, monkeypatch) -> None:
    go, session = held(monkeypatch), empty.session
    opening.enter(empty.desk, *opened(many))
    assert "walk 39.bvh" in empty.desk.dialog.text(), "what is not on disk is said at once"
    empty.desk.dialog.accept()
    qtbot.waitUntil(lambda: session.computed.evaluation is not None)
    assert len(session.sources.waiting) == 38 and session.computed.result is not None
    assert "38 left" in empty.project_label.text()
    rows = [empty.library.clips.item(i) for i in range(empty.library.clips.count())]
    assert (
        sum("being read" in r.toolTip() for r in rows) == 38 and sum("find the file" in r.toolTip() for r in rows) == 1
    )

    session.open_take("walk 30")
    assert session.computed.result is None and session.sources.gone(session.take.source)[0] == "Reading walk 30.bvh…"
    files.save(empty.desk)
    go.set()
    qtbot.waitUntil(lambda: session.computed.result is not None)
    idle(qtbot, empty)
    ready(qtbot, empty)
    assert not session.sources.waiting and len(session.sources.documents) == 39
    assert "left" not in empty.project_label.text() and empty.library.clips.count() == 40
    assert store.load(many) == session.project


def test_another_project_takes_nothing_of_what_is_still_read(empty, qtbot, many: Path, monkeypatch) -> None:
    go, session = held(monkeypatch), empty.session
    session.load(many)
    before = session.sources
    empty.start_empty()
    go.set()
    idle(qtbot, empty)
    assert session.sources is not before and not session.sources.documents and not empty.library.clips.count()


def test_how_a_source_is_read_may_be_told_before_it_is(empty, qtbot, many: Path, monkeypatch) -> None:
    go, session = held(monkeypatch), empty.session
    session.load(many)
    told = tuple(replace(s, unit=0.01) if s.file == "walk 07.bvh" else s for s in session.project.sources)
    session.edit("tell a unit", replace(session.project, sources=told))
    go.set()
    idle(qtbot, empty)
    heights = {f: d.rig.height for f, d in session.sources.documents.items()}
    assert heights["walk 07.bvh"] == pytest.approx(heights["walk 08.bvh"] * 0.01, rel=1e-6)


def test_a_window_that_is_closed_is_let_go(qapp) -> None:
    """A function without a name that is connected to the session and knows the window keeps both for ever."""
    window = MainWindow(Session(QtLoop()))
    window.start_empty()
    window.show()
    known = weakref.ref(window)
    window.session.history.saved(window.session.project)
    window.close()
    window.deleteLater()
    del window
    for _ in range(20):
        qapp.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        qapp.processEvents()
        gc.collect()
        if known() is None:
            break
    assert known() is None


def test_a_rig_that_is_still_to_be_read_is_waited_for(demo, qtbot) -> None:
    session, file = demo.session, "ferrykeeper.glb"
    sources = session.sources
    entry = next(e for e in session.project.sources if e.file == file)
    document = sources.documents.pop(file)
    sources.waiting[file] = entry
    session.open_take("Walk, as the Ferrykeeper")
    assert session.being_read == file and session.computed.evaluation is None and not session.computed.problem
    del sources.waiting[file]
    sources.take_in(entry, document)
    session.reader.needed.emit()
    ready(qtbot, demo)
    assert session.computed.evaluation is not None and not session.computed.problem and not session.being_read
