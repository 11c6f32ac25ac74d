"""What is shown, merged and exported is what is meant; what was begun for one project never lands in another."""

from __future__ import annotations

import json
import threading
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton

from reflexa.desktop.actions import files
from reflexa.desktop.dialogs.fixes import Fixes
from reflexa.desktop.dialogs.import_report import ImportReport
from reflexa.formats import read
from reflexa.output import write as export_module
from reflexa.project import sources, store
from reflexa.project.store import Project, SourceFile
from reflexa.session import importing, layers, line, takes
from reflexa.take import Alone, Source, Take
from tests.helpers.files import DATA, DEMO
from tests.helpers.hands import drop
from tests.helpers.windows import (
    card,
    dialog_of,
    idle,
    import_walk,
    new_take,
    open_take,
    ready,
    select_step,
    step_id,
)


def export_to(window, qtbot, folder: Path):
    """Export as a person does; the proof."""
    window.commands.run("export")
    dialog = window.desk.dialog
    dialog.place.field.setText(str(folder))
    dialog.start()
    qtbot.waitUntil(lambda: dialog.proof is not None)
    proof = dialog.proof
    dialog.reject()
    return proof


def answer(text: str) -> QTimer:
    """Presses the button of that text as soon as somebody asks."""
    timer = QTimer()

    def press() -> None:
        box = QApplication.activeModalWidget()
        for button in box.findChildren(QPushButton) if box is not None else ():
            if button.text().replace("&", "") == text:
                button.click()

    timer.timeout.connect(press)
    timer.start(20)
    return timer


# A step shown alone ---------------------------------------------------------------------------------------------


def test_a_step_shown_alone_is_a_way_of_looking_and_the_whole_take_is_exported(demo, qtbot, tmp_path: Path) -> None:
    open_take(demo, qtbot, "Step up, right foot first")
    session, whole = demo.session, demo.session.computed.result
    select_step(demo, 1)
    demo.commands.run("solo_step")
    ready(qtbot, demo)
    assert isinstance(session.computed.looked_at, Alone) and session.computed.shown is not whole
    proof = export_to(demo, qtbot, tmp_path)
    back = read(proof.path).clips[0]
    assert np.abs(back.model[1] - whole.model[1]).max() < 1e-5
    assert np.abs(back.model[1] - session.computed.shown.model[1]).max() > 0.1, "what is looked at is something else"
    steps = json.loads(proof.manifest.read_text())["recipe"]["steps"]
    assert [s["name"] for s in steps] == ["Right foot first", "Lean into it"]
    assert session.selection.solo == step_id(demo, 1), "it is still looked at"


def test_steps_are_referred_to_by_what_they_are_not_by_where_they_stand(demo, qtbot, tmp_path: Path) -> None:
    """Ids are saved, and those of a project of before are made when it is read."""
    session = demo.session
    new_take(demo, qtbot, "deckhand.glb", "lantern idle")
    demo.commands.run("add_mirror")
    line.add(session, "pin", since=step_id(demo, 0))
    line.rename(session, step_id(demo, 0), "Other side")
    line.duplicate(session, step_id(demo, 0))
    ready(qtbot, demo)
    ids = [s.id for s in session.take.steps]
    assert len(set(ids)) == 3 and session.take.steps[2].settings.since == ids[0] and not session.computed.problem
    files.save(demo.desk)
    again = store.load(session.folder).take(session.take.name)
    assert [s.id for s in again.steps] == ids
    path = session.folder / "takes" / f"{session.take.name}.take.json"
    old = json.loads(path.read_text())
    old["version"] = 1
    for step in old["steps"]:
        del step["id"]
    old["steps"][2]["settings"]["since"] = "Other side"
    path.write_text(json.dumps(old))
    read_again = store.load(session.folder).take(session.take.name)
    assert read_again.steps[2].settings.since == read_again.steps[0].id


# Locks ----------------------------------------------------------------------------------------------------------


def test_a_locked_step_cannot_be_changed_moved_removed_or_merged_by_any_road(demo, qtbot) -> None:
    open_take(demo, qtbot, "Step up, right foot first")
    session = demo.session
    select_step(demo, 1)
    demo.commands.run("lock_step")
    ready(qtbot, demo)
    locked, said = session.take, []
    session.said.connect(said.append)
    step = session.step
    session.selection.select_joint("spine_mid")
    demo.commands.run("select_keys")
    for command in (
        "remove_step", "earlier", "toggle_step", "split_layer", "delete_keys", "nudge_later", "flatten_keys",
        "keys_hold", "ease_gentle", "begin_after",
    ):  # fmt: skip
        if command in {c.id for c in demo.commands}:
            demo.commands.run(command)
            assert session.take == locked, command
    line.rename(session, step.id, "Otherwise")
    line.weigh(session, step.id, 0.3)
    line.move(session, step.id, 0)
    line.move(session, step_id(demo, 0), 1)  # the other one goes past it: allowed
    assert [s.id for s in session.take.steps] == [step.id, locked.steps[0].id]
    session.undo()
    assert session.take == locked
    span = layers.span_of(session, 2)
    layers.put(session, span, merge_of(session, span, qtbot))
    card(demo, 1).switch.click()
    assert session.take == locked and any("locked" in s for s in said)
    assert card(demo, 1).switch.isChecked(), "the switch shows what is"
    demo.commands.run("lock_step")
    assert not session.step.locked, "but it can be unlocked"


def merge_of(session, span, qtbot):
    found = []
    layers.find(session, span, True, found.append)
    qtbot.waitUntil(lambda: bool(found))
    return found[0]


# Projects and what is under way ---------------------------------------------------------------------------------


def test_a_copy_is_never_saved_over_another_project(demo, qtbot, tmp_path: Path) -> None:
    other = tmp_path / "other"
    (other / "sources").mkdir(parents=True)
    (other / "sources" / "deckhand.glb").write_bytes(b"another file of the same name")
    store.save(Project("Other", (SourceFile("deckhand.glb"),), (Take("kept", Source("deckhand.glb", "x")),)), other)
    before = {p: p.read_bytes() for p in other.rglob("*") if p.is_file()}
    here = demo.session.folder
    assert not files.save_to(demo.desk, other)
    assert "is not empty" in demo.desk.dialog.text()
    demo.desk.dialog.accept()
    assert {p: p.read_bytes() for p in other.rglob("*") if p.is_file()} == before
    assert demo.session.folder == here
    assert files.save_to(demo.desk, tmp_path / "new" / "copy")
    sources = sorted((tmp_path / "new" / "copy" / "sources").iterdir())
    assert [p.name for p in sources] == sorted(p.name for p in (DEMO / "sources").iterdir())
    assert all(p.read_bytes() == (DEMO / "sources" / p.name).read_bytes() for p in sources)
    assert demo.session.folder == tmp_path / "new" / "copy" and not demo.session.history.unsaved
    assert not list((tmp_path / "new").glob(".*")), "nothing is left lying about"


def test_a_copy_that_fails_half_way_leaves_nothing(demo, qtbot, tmp_path: Path, monkeypatch) -> None:
    def full(*_args: object, **_kw: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(sources, "save", full)
    assert not files.save_to(demo.desk, tmp_path / "copy")
    assert "no space left" in demo.desk.dialog.text().lower()
    demo.desk.dialog.accept()
    assert not [p for p in tmp_path.iterdir() if "copy" in p.name]


def test_files_that_are_imported_come_into_the_project_that_they_were_meant_for(
    empty, qtbot, tmp_path: Path, monkeypatch
) -> None:
    """Import, then New before it ends: the new project gets nothing, and the old one may not be lost in silence."""
    go, slow = threading.Event(), importing.read
    monkeypatch.setattr(importing, "read", lambda *a, **k: (go.wait(20), slow(*a, **k))[1])
    session = empty.session
    first = session.folder
    drop(empty, DATA / "humanoid3d_walk.bvh")
    assert session.work.titles
    stay = answer("Stay")
    empty.commands.run("new")
    stay.stop()
    assert session.folder == first, "it is asked before work under way is given up"
    leave = answer("Leave")
    empty.commands.run("new")
    leave.stop()
    go.set()
    idle(qtbot, empty)
    assert session.folder != first and not session.project.sources and not session.sources.documents
    assert not (session.folder / "sources").exists()
    assert not (first / "sources").exists() or not list((first / "sources").iterdir()), "nothing half done is left"


def test_an_import_can_be_stopped_and_leaves_nothing(empty, qtbot, monkeypatch) -> None:
    go, slow = threading.Event(), importing.read
    monkeypatch.setattr(importing, "read", lambda *a, **k: (go.wait(20), slow(*a, **k))[1])
    drop(empty, DATA / "humanoid3d_walk.bvh", DATA / "humanoid3d_run.bvh")
    qtbot.waitUntil(lambda: QApplication.activeModalWidget() is not None)
    QTest.keyClick(QApplication.activeModalWidget(), Qt.Key.Key_Escape)
    go.set()
    idle(qtbot, empty)
    assert not empty.session.project.sources and not empty.session.history.undo_label
    assert not list(empty.session.folder.rglob("*.bvh"))


def test_a_folder_may_be_called_anything(demo, qtbot, tmp_path: Path) -> None:
    assert files.save_to(demo.desk, tmp_path / "reflexa-ferry")
    line.add(demo.session, "mirror")
    demo.commands.run("save")
    assert not demo.session.history.unsaved, "it has its place: nobody is asked for another"


def test_a_new_project_asks_for_its_place_and_saved_there_has_one(empty, qtbot, tmp_path: Path, monkeypatch) -> None:
    import_walk(empty, qtbot)
    asked: list[str] = []

    def ask(*_: object) -> tuple[str, str]:
        asked.append("where")
        return str(tmp_path / "Landing"), ""

    monkeypatch.setattr(files.QFileDialog, "getSaveFileName", ask)
    QTest.keyClick(empty, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert asked == ["where"] and not empty.session.history.unsaved
    assert store.load(tmp_path / "Landing").name == "Landing"
    line.add(empty.session, "mirror")
    QTest.keyClick(empty, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    assert asked == ["where"] and not empty.session.history.unsaved
    assert len(store.load(tmp_path / "Landing").takes[0].steps) == 1


def test_a_folder_that_is_no_project_is_refused_and_what_was_open_stays(demo, qtbot, tmp_path: Path) -> None:
    (demo.session.folder / "sources" / "deckhand.glb").unlink()
    files.open_folder(demo.desk, demo.session.folder)
    assert "deckhand.glb" in demo.desk.dialog.text()
    demo.desk.dialog.accept()
    before = demo.session.project
    files.open_folder(demo.desk, tmp_path / "nothing here")
    assert "nothing here" in demo.desk.dialog.text() and "deckhand" not in demo.desk.dialog.text()
    demo.desk.dialog.accept()
    assert demo.session.project is before


@pytest.mark.parametrize("button,stays", [("Stay", True), ("Leave without saving", False), ("Save", False)])
def test_leaving_a_window_with_changes_asks(demo, qtbot, button: str, stays: bool) -> None:
    line.add(demo.session, "mirror")
    ready(qtbot, demo)
    saved = store.load(demo.session.folder)
    asking = answer(button)
    demo.close()
    asking.stop()
    assert isinstance(demo.desk.dialog, QMessageBox) and "Saltmarsh Ferry" in demo.desk.dialog.text()
    assert demo.isVisible() == stays
    assert (store.load(demo.session.folder) != saved) == (button == "Save")


def test_the_source_of_an_export_may_be_gone_from_the_disk(demo, qtbot, tmp_path: Path) -> None:
    """What can be written from what was read is written; what cannot is said. No progress bar goes on for ever."""
    open_take(demo, qtbot, "Walk, chin up")
    (demo.session.folder / "sources" / "deckhand.glb").unlink()
    demo.commands.run("export")
    dialog = demo.desk.dialog
    dialog.place.field.setText(str(tmp_path))
    dialog.start()
    qtbot.waitUntil(lambda: dialog.said.isVisible() and not dialog.bar.isVisible())
    assert dialog.go.isEnabled() and ("Written" in dialog.said.text() or "deckhand.glb" in dialog.said.text())
    assert bool(list(tmp_path.glob("*.glb"))) == (dialog.proof is not None)
    dialog.reject()


def test_an_export_that_breaks_is_said_whatever_broke(demo, qtbot, tmp_path: Path, monkeypatch) -> None:
    def broken(*_: object) -> bytes:
        raise FileNotFoundError(2, "No such file or directory", "gone.glb")

    monkeypatch.setattr(export_module, "encode", broken)
    demo.commands.run("export")
    dialog = demo.desk.dialog
    dialog.place.field.setText(str(tmp_path / "out"))
    dialog.start()
    qtbot.waitUntil(lambda: "gone.glb" in dialog.said.text())
    assert dialog.go.isEnabled() and not dialog.bar.isVisible() and not (tmp_path / "out").exists()
    dialog.reject()


def test_a_closed_export_is_given_up(demo, qtbot, tmp_path: Path, monkeypatch) -> None:
    go, slow = threading.Event(), export_module.encode
    monkeypatch.setattr(export_module, "encode", lambda *a: (go.wait(20), slow(*a))[1])
    demo.commands.run("export")
    dialog = demo.desk.dialog
    out = tmp_path / "out"
    dialog.place.field.setText(str(out))
    dialog.start()
    qtbot.waitUntil(dialog.bar.isVisible)
    dialog.reject()
    go.set()
    idle(qtbot, demo)
    assert not out.exists() or not list(out.iterdir())


# Back and forth -------------------------------------------------------------------------------------------------


def test_one_act_is_one_undo_and_undo_says_what_it_undoes(empty, qtbot) -> None:
    session = empty.session
    names = ["humanoid3d_walk.bvh", "humanoid3d_run.bvh"]
    drop(empty, *(DATA / n for n in names))
    dialog_of(qtbot, empty, ImportReport).accept()
    ready(qtbot, empty)
    assert len(session.project.sources) == 2 and len(session.project.takes) == 2
    assert session.history.undo_label == "import 2 files"
    assert empty.commands.action("undo").text().replace("&", "") == "Undo: import 2 files"
    QTest.keyClick(empty, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert not session.project.sources and not session.project.takes and not session.history.undo_label
    assert empty.commands.action("redo").text().replace("&", "") == "Redo: import 2 files"
    session.redo()
    ready(qtbot, empty)
    takes.make(session, [Source(n, n.removesuffix(".bvh")) for n in names * 6])
    assert len(session.project.takes) == 14 and session.history.undo_label == "make 12 takes"
    session.undo()
    assert len(session.project.takes) == 2
    line.add(session, "mirror")
    assert session.history.undo_label == "add Mirror"


def test_fix_all_is_a_table_whose_rows_are_taken_out_and_put_back(demo, qtbot) -> None:
    new_take(demo, qtbot, "deckhand.glb", "walk that pops")
    session = demo.session
    qtbot.waitUntil(lambda: session.evaluator.judgement.count > 0)
    said: list[str] = []
    demo.statusBar().messageChanged.connect(said.append)
    demo.commands.run("fix_all")
    dialog = demo.desk.dialog
    assert isinstance(dialog, Fixes) and not any("Stopped" in s for s in said)
    fixed = session.take
    first = dialog.table.topLevelItem(0)
    dialog.table.setCurrentItem(first)
    assert session.player.frame == dialog._fixed.rows[0].worst, "a row leads to its moment"
    first.setCheckState(0, Qt.CheckState.Unchecked)
    assert session.take != fixed and len(session.take.steps) <= len(fixed.steps)
    first.setCheckState(0, Qt.CheckState.Checked)
    assert session.take.steps == fixed.steps
    demo.commands.run("undo")
    demo.commands.run("undo")
    assert session.take.steps == fixed.steps, "one undo each"
    demo.commands.run("undo")
    assert session.take.steps == ()
    first.setCheckState(0, Qt.CheckState.Unchecked)
    assert session.take.steps == () and "changed since" in dialog.note.text()
    dialog.close()
