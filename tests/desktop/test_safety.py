"""The window keeps what is edited, tells of others, and survives what nobody expected."""

from __future__ import annotations

import json
import sys
import threading
import time
from dataclasses import replace
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QMessageBox, QProgressDialog

from benchmarks.windows import lost
from reflexa import log
from reflexa.desktop import crash
from reflexa.desktop.actions import files, opening
from reflexa.desktop.dialogs.import_report import ImportReport
from reflexa.project import lock, recovery, store
from reflexa.project.transaction import OWN
from reflexa.session import line
from reflexa.session.sources import Sources, demo_copy, opened
from tests.helpers.files import DATA
from tests.helpers.windows import answers, idle, ready

ROOT = DATA.parents[1]


def enter(window, qtbot, folder: Path) -> None:
    opening.enter(window.desk, *opened(folder))
    ready(qtbot, window)


def as_of_another(folder: Path) -> None:
    """What this process kept is as if one had kept it that is no more."""
    for path in (folder / OWN).glob("recovery-*"):
        said = json.loads(path.read_text())
        path.with_name("recovery-gone.json").write_text(json.dumps({**said, "pid": 4194304 * 64}))
        path.unlink()


def test_every_edit_is_kept_within_seconds_and_offered_after_a_crash(empty, qtbot, monkeypatch) -> None:
    folder = demo_copy()
    enter(empty, qtbot, folder)
    session = empty.session
    saved = store.load(folder)
    line.add(session, "mirror")
    qtbot.waitUntil(lambda: recovery.found(folder) is not None)
    kept = session.project
    assert recovery.found(folder).project == kept and store.load(folder) == saved
    # As after a crash: the window comes back without having been asked anything.
    empty.desk.keeper.let_go()
    as_of_another(folder)
    asked = answers(monkeypatch, "Restore them")
    enter(empty, qtbot, folder)
    assert session.project == kept and session.history.unsaved and "Mirror" in asked[0]
    session.undo()
    assert session.project == saved


def test_a_file_that_was_imported_and_not_saved_plays_after_a_crash(empty, qtbot, monkeypatch) -> None:
    folder = demo_copy()
    enter(empty, qtbot, folder)
    session = empty.session
    files.import_paths(empty.desk, [DATA / "humanoid3d_walk.bvh"])
    qtbot.waitUntil(lambda: isinstance(empty.desk.dialog, ImportReport))
    empty.desk.dialog.make_take.setChecked(True)
    empty.desk.dialog.accept()
    empty.desk.keeper.keep_now()
    edited = session.project
    as_of_another(folder)
    answers(monkeypatch, "Restore them")
    opening.enter(empty.desk, *opened(folder))
    assert session.project == edited
    session.open_take(edited.takes[-1].name)
    ready(qtbot, empty)
    assert session.computed.result is not None and not session.sources.missing


def test_what_is_declined_stays_and_what_is_saved_is_forgotten(empty, qtbot, monkeypatch) -> None:
    folder = demo_copy()
    enter(empty, qtbot, folder)
    session = empty.session
    line.add(session, "mirror")
    idle(qtbot, empty)
    empty.desk.keeper.keep_now()
    as_of_another(folder)
    answers(monkeypatch, "Open the saved project")
    enter(empty, qtbot, folder)
    assert not session.history.unsaved and list((folder / OWN).glob("declined-*"))
    line.add(session, "mirror")
    empty.desk.keeper.keep_now()
    assert recovery.found(folder) is not None
    empty.commands.run("save")
    idle(qtbot, empty)
    assert recovery.found(folder) is None and store.load(folder) == session.project


def test_a_project_that_is_open_elsewhere_is_looked_at_or_taken(empty, qtbot, monkeypatch, tmp_path) -> None:
    folder = demo_copy()
    (folder / OWN).mkdir(exist_ok=True)
    (folder / OWN / "lock").write_text('{"host": "the other desk", "pid": 7}')
    asked = answers(monkeypatch, "Cancel", "Open read-only")
    before = empty.session.project
    opening.enter(empty.desk, *opened(folder))
    assert empty.session.project == before and "process 7 on the other desk" in asked[0]
    opening.enter(empty.desk, *opened(folder))
    ready(qtbot, empty)
    line.add(empty.session, "mirror")
    empty.commands.run("save")
    assert "someone else has it" in empty.desk.dialog.text()
    empty.desk.dialog.accept()
    answers(monkeypatch, "Take over")
    opening.enter(empty.desk, *opened(folder))
    ready(qtbot, empty)
    line.add(empty.session, "mirror")
    empty.commands.run("save")
    assert store.load(folder) == empty.session.project
    assert isinstance(lock.take(folder), lock.Holder)


def test_what_others_save_is_told_and_never_written_over_unasked(empty, qtbot, monkeypatch) -> None:
    folder = demo_copy()
    enter(empty, qtbot, folder)
    session = empty.session
    theirs = store.load(folder)
    first = theirs.takes[0]
    store.save(replace(theirs, takes=(replace(first, name="theirs"), *theirs.takes[1:])), folder)
    line.add(session, "mirror")
    asked = answers(monkeypatch, "Do not save", "Reload")
    empty.commands.run("save")
    assert "Someone else has saved" in asked[0] and store.load(folder).takes[0].name == "theirs"
    empty.desk.keeper.look()
    idle(qtbot, empty)
    assert "'theirs'" in asked[1] and session.project.takes[0].name == "theirs"
    idle(qtbot, empty)
    empty.commands.run("save")
    assert store.load(folder).takes[0].name == "theirs"
    session.undo()
    assert session.project.takes[0].name == first.name, "what was open comes back"


def test_a_project_without_a_place_is_kept_and_offered(empty, qtbot, monkeypatch) -> None:
    window = empty
    window.start_empty()
    folder = window.session.folder
    assert folder.parent == recovery.drafts() and not str(folder).startswith("/tmp/reflexa-d")
    window.session.edit("name", replace(window.session.project, name="The long quay"))
    qtbot.waitUntil(lambda: recovery.found(folder) is not None)
    window.desk.keeper.let_go()
    as_of_another(folder)
    window.session.sources.placed = True  # it crashed: nobody clears the draft away
    asked = answers(monkeypatch, "Restore them")
    window.session.history.open(window.session.project)
    assert opening.offer_draft(window.desk)
    assert "The long quay" in asked[0] and window.session.project.name == "The long quay"
    assert window.session.history.unsaved and window.session.folder == folder


def test_a_damaged_take_is_told_and_the_rest_is_open(empty, qtbot) -> None:
    folder = demo_copy()
    path = sorted((folder / "takes").iterdir())[0]
    path.write_text("{")
    enter(empty, qtbot, folder)
    assert path.name in empty.desk.dialog.text() and len(empty.session.project.takes) == 24
    empty.desk.dialog.accept()
    line.add(empty.session, "mirror")
    empty.commands.run("save")
    assert path.read_text() == "{"


def test_what_nobody_expected_is_shown_written_down_and_loses_nothing(empty, qtbot, monkeypatch, tmp_path) -> None:
    folder = demo_copy()
    enter(empty, qtbot, folder)
    monkeypatch.setattr(log, "log_file", lambda: tmp_path / "log" / "reflexa.log")
    monkeypatch.setattr(sys, "excepthook", sys.excepthook)
    crash.install(empty)
    line.add(empty.session, "mirror")
    try:
        raise KeyError("a bug of ours")
    except KeyError:
        sys.excepthook(*sys.exc_info())
    qtbot.waitUntil(lambda: isinstance(empty.desk.dialog, QMessageBox) and empty.desk.dialog.isVisible())
    assert "a bug of ours" in empty.desk.dialog.text() and "reflexa.log" in empty.desk.dialog.text()
    empty.desk.dialog.accept()
    assert "Traceback" in (tmp_path / "log" / "reflexa.log").read_text()
    assert recovery.found(folder).project == empty.session.project


@pytest.mark.long
@pytest.mark.parametrize("after", [0.1, 1.3])
def test_a_killed_window_loses_two_seconds_at_most(after: float) -> None:
    assert lost(demo_copy(), after) < 2.0


def test_what_is_edited_while_it_is_saved_stays_unsaved(demo, qtbot, monkeypatch) -> None:
    session, began, go_on = demo.session, threading.Event(), threading.Event()
    line.add(session, "mirror")
    first, write = session.project, Sources.write

    def slowly(self: Sources, *args) -> dict[str, str]:
        began.set()
        assert go_on.wait(20)
        return write(self, *args)

    monkeypatch.setattr(Sources, "write", slowly)
    said: list[bool] = []

    def meanwhile() -> None:
        if not began.is_set():
            QTimer.singleShot(10, meanwhile)
            return
        line.add(session, "foot-lock")
        said.extend((files.save(demo.desk), files.may_leave(demo.desk)))
        demo.desk.keeper.look()
        go_on.set()

    QTimer.singleShot(0, meanwhile)
    assert files.save(demo.desk) and said == [False, False]
    assert store.load(session.folder) == first != session.project and session.history.unsaved
    monkeypatch.undo()
    assert files.save(demo.desk) and not session.history.unsaved and store.load(session.folder) == session.project
    demo.desk.keeper.look()
    idle(qtbot, demo)
    assert demo.desk.dialog is None or not demo.desk.dialog.isVisible()


def test_a_save_that_is_stopped_leaves_what_was_there(demo, qtbot, monkeypatch) -> None:
    session = demo.session
    before = store.load(session.folder)
    line.add(session, "mirror")
    stops = QTimer(interval=5)
    stops.timeout.connect(lambda: [p.canceled.emit() for p in demo.findChildren(QProgressDialog)])

    def stopped(self: Sources, project, tell) -> dict[str, str]:
        while True:  # it is stopped at one of its words
            tell("", 0.0)
            time.sleep(0.01)

    monkeypatch.setattr(Sources, "write", stopped)
    stops.start()
    assert not files.save(demo.desk) and session.history.unsaved
    stops.stop()
    assert store.load(session.folder) == before and not list((session.folder / OWN).glob("save-*"))
