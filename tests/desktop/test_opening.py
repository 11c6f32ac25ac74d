"""A project of many sources is open at once: what is looked at is read first, the rest while the window is used."""

from __future__ import annotations

import gc
import weakref
from pathlib import Path

import pytest
from PySide6.QtCore import QEvent

from reflexa.desktop.actions import files, opening
from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.window import MainWindow
from reflexa.project import store
from reflexa.session import Session
from reflexa.session.sources import opened
from tests.helpers.many_sources import held, many_sources
from tests.helpers.windows import idle, ready


@pytest.fixture
def many(tmp_path: Path) -> Path:
    return many_sources(tmp_path / "many")


def test_the_first_take_is_there_before_the_other_sources_are(empty, qtbot, many: Path, monkeypatch) -> None:
    go, session = held(monkeypatch), empty.session
    opening.enter(empty.desk, *opened(many))
    assert "walk 39.bvh" in empty.desk.dialog.text(), "what is not on disk is said at once"
    empty.desk.dialog.accept()
    qtbot.waitUntil(lambda: session.computed.evaluation is not None)
    assert len(session.sources.waiting) == 38 and session.computed.result is not None
    assert "38 left" in empty.project_label.text()
    rows = [empty.clip_panel.clips.item(i) for i in range(empty.clip_panel.clips.count())]
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
    assert "left" not in empty.project_label.text() and empty.clip_panel.clips.count() == 40
    assert store.load(many) == session.project


def test_another_project_takes_nothing_of_what_is_still_read(empty, qtbot, many: Path, monkeypatch) -> None:
    go, session = held(monkeypatch), empty.session
    session.load(many)
    before = session.sources
    empty.start_empty()
    go.set()
    idle(qtbot, empty)
    assert session.sources is not before and not session.sources.documents and not empty.clip_panel.clips.count()


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
