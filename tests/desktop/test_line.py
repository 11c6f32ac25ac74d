"""The revision line, its cards, and the commands."""

from __future__ import annotations

import threading

import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QScrollArea, QToolButton

from reflexa.desktop.dialogs.command_search import CommandSearch
from reflexa.desktop.line import add_step
from reflexa.desktop.line.add_step import AddStep
from reflexa.session import evaluator as evaluator_module
from reflexa.session import line
from reflexa.steps import KINDS
from tests.helpers.hands import click, drag
from tests.helpers.windows import card, new_take, painted, ready, select_step, step_id


def test_cards_are_dragged_into_another_order(demo, qtbot) -> None:
    window, session = demo, demo.session
    session.open_take("Lantern to the other hand")
    ready(qtbot, window)
    first, second = card(window, 0), card(window, 1)
    by = second.geometry().center() - first.geometry().center()
    drag(first, QPoint(40, 70), QPoint(40, 70) + by + QPoint(30, 0))
    assert [s.name for s in session.take.steps] == ["Other hand", "Lift the lantern"]
    ready(qtbot, window)


def test_masks_from_the_panel(demo, qtbot) -> None:
    window, session = demo, demo.session
    select_step(demo, 0)
    box = next(b for b in window.settings.findChildren(QComboBox) if b.accessibleName() == "Joints")
    box.setCurrentIndex(box.findText("Left arm"))
    box.activated.emit(box.currentIndex())
    assert session.step.mask.parts == ("left arm",)
    ready(qtbot, window)
    index = session.computed.rig.skeleton.index
    assert np.array_equal(
        session.computed.result.rotations[:, index["thigh_left"]],
        session.computed.evaluation.clips[0].rotations[:, index["thigh_left"]],
    )


def test_a_step_is_shown_alone_and_locked(demo, qtbot) -> None:
    session = demo.session
    session.open_take("Step up, right foot first")
    ready(qtbot, demo)
    select_step(demo, 1)
    both = session.computed.result
    demo.commands.run("solo_step")
    ready(qtbot, demo)
    alone = session.computed.looked_at
    assert alone.clips[1] is alone.clips[0], "the mirror is off"
    (seen,) = demo.viewport.figures()
    assert seen.clip is alone.clips[2] and not np.array_equal(seen.clip.rotations, both.rotations)
    assert "Lean into it alone" in demo.viewport.caption() and "alone" in card(demo, 1).name.text()
    assert session.computed.result is both and not session.history.unsaved, "looking changes nothing"
    demo.commands.run("solo_step")
    ready(qtbot, demo)
    assert demo.viewport.figures()[0].clip is session.computed.result
    demo.commands.run("lock_step")
    locked = session.take
    assert locked.steps[1].locked and "locked" in card(demo, 1).name.text()
    line.edit(session, "set weight", replace(session.step, weight=0.2))
    assert session.take == locked
    demo.commands.run("lock_step")
    line.edit(session, "set weight", replace(session.step, weight=0.2))
    assert session.step.weight == 0.2


def test_a_step_that_is_kept_to_may_be_called_otherwise(demo, qtbot) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "lantern idle")
    window.commands.run("add_mirror")
    line.add(session, "pin", since=step_id(demo, 0))
    ready(qtbot, window)
    line.rename(session, step_id(demo, 0), "Other side")
    ready(qtbot, window)
    assert session.take.steps[1].settings.since == step_id(demo, 0) and not session.computed.problem
    since = next(b for b in window.settings.findChildren(QComboBox) if b.accessibleName() == "As before")
    assert since.currentText() == "before Other side"
    session.undo()
    assert session.take.steps[0].name == "Mirror" and session.take.steps[1].settings.since == step_id(demo, 0)


def test_what_takes_long_is_told_and_can_be_stopped(demo, qtbot, monkeypatch) -> None:
    window, session = demo, demo.session
    new_take(window, qtbot, "deckhand.glb", "walk")
    window.commands.run("add_mirror")
    ready(qtbot, window)
    before, go = session.computed.evaluation, threading.Event()
    painted_before = painted(window.viewport)
    slow = evaluator_module.evaluate
    monkeypatch.setattr(evaluator_module, "evaluate", lambda *a, **k: (a[4](), go.wait(20), slow(*a, **k))[2])
    line.edit(session, "x", replace(session.step, weight=0.5))
    qtbot.waitUntil(lambda: "Computing Mirror (1 of 1)" in session.evaluator.computing)
    assert (painted(window.viewport)[30:60, 10:260] != painted_before[30:60, 10:260]).any(), "it stands in the picture"
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert session.evaluator.computing == "" and "Stopped" in window.statusBar().currentMessage()
    go.set()
    qtbot.waitUntil(lambda: not session.work.busy)
    assert session.computed.evaluation is before, "what came too late is not shown"
    session.undo()
    ready(qtbot, window)


def test_every_command_is_found_and_tells_why_it_cannot_run(empty, qtbot) -> None:
    search = CommandSearch(empty.commands, empty)
    qtbot.addWidget(search)
    QTest.keyClicks(search.field, "export")
    texts = [search.found.item(i).text() for i in range(search.found.count())]
    assert any(t.startswith("Export…") and "There is no result yet." in t for t in texts)
    action = empty.commands.action("export")
    assert not action.isEnabled() and action.toolTip() == "There is no result yet."
    shortcuts = [c.shortcut for c in empty.commands if c.shortcut]
    assert len(shortcuts) == len(set(shortcuts))
    assert all(b.accessibleName() for b in empty.viewport.buttons.values())
    for button in empty.time_area.findChildren(QToolButton):
        assert button.accessibleName() or button.text()


@pytest.mark.parametrize("size", [(1280, 800), (1920, 1080)])
def test_the_layout_holds(demo, qtbot, size) -> None:
    demo.resize(*size)
    qtbot.waitUntil(lambda: demo.width() == size[0])
    assert demo.viewport.width() > 0.5 * size[0] and demo.viewport.height() > 0.45 * size[1]
    bar = demo.viewport.tool_bar.geometry()
    assert demo.viewport.rect().contains(bar) and not bar.intersects(demo.viewport.compare_bar.geometry())
    page = demo.settings.findChild(QScrollArea).widget()
    assert page.minimumSizeHint().width() <= demo.settings.findChild(QScrollArea).viewport().width(), (
        "no setting is cut off"
    )


def test_a_step_is_searched_and_added(demo, qtbot) -> None:
    session = demo.session
    new_take(demo, qtbot, "deckhand.glb", "walk, skating")
    session.selection.select_joint("hand_right")
    ready(qtbot, demo)
    click(demo.revision_line.plus)
    popup = demo.findChild(AddStep)
    rows = [popup.found.item(i).text().split("\n")[0] for i in range(popup.found.count())]
    assert rows[0] == "Fits what is selected and found" and rows[1:5] == ["Foot lock", "Correction", "Reach", "Pin"]
    assert {"Figure", "Ground and targets", "Layers", "Time"} <= set(rows)
    assert {k.title for k in KINDS.values()} <= set(rows)
    QTest.keyClicks(popup.field, "loop")
    assert popup.found.item(popup.found.currentRow()).text().startswith("Close loop"), "titles come before help"
    popup.field.clear()
    QTest.keyClick(popup.field, Qt.Key.Key_Down)
    QTest.keyClick(popup.field, Qt.Key.Key_Return)
    ready(qtbot, demo)
    assert [s.kind for s in session.take.steps] == ["correction"]
    assert [k.kind for k in add_step.recent()][:1] == ["correction"]


def test_back_by_one_click_in_the_history(demo, qtbot) -> None:
    session = demo.session
    opened = session.project
    new_take(demo, qtbot, "deckhand.glb", "walk")
    for kind in ("mirror", "reverse", "foot-lock"):
        line.add(session, kind)
    ready(qtbot, demo)
    newest = session.project
    demo.commands.run("undo_history")
    dialog = demo.desk.dialog
    assert dialog.list.count() == 5 and dialog.list.currentRow() == 4
    qtbot.waitUntil(lambda: "foot lock" in dialog.said.text().lower())
    dialog.list.setCurrentRow(2)
    assert [s.kind for s in session.take.steps] == ["mirror"] and session.history.redo_label
    dialog.list.setCurrentRow(0)
    assert session.project == opened
    dialog.list.setCurrentRow(4)
    assert session.project == newest
    dialog.list.setCurrentRow(1)
    line.add(session, "hold")
    assert dialog.list.count() == 3, "what was undone is gone when something else is done"
    dialog.close()
    ready(qtbot, demo)
