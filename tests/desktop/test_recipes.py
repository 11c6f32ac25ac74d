"""Recipes in the window: kept from a take, put into others, and run over many clips."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QDragMoveEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

from reflexa.desktop.actions.recipes import run_over
from reflexa.desktop.clips.delegate import THING
from reflexa.desktop.dialogs.batch import BatchDialog
from reflexa.desktop.dialogs.keep_recipe import KeepRecipe
from reflexa.desktop.dialogs.parameters import ParametersDialog
from reflexa.desktop.dropping import of_recipe
from reflexa.desktop.window import MainWindow
from reflexa.formats import read
from reflexa.session import recipes
from reflexa.session.sources import demo_copy
from reflexa.steps import make
from reflexa.take.recipe import Parameter, Recipe, keep
from tests.helpers.hands import click, drop
from tests.helpers.windows import dialog_of, idle, open_take, ready

_CHECKED = Qt.CheckState.Checked
PEOPLE = ("walk", "rope haul", "step up")


def _quick(window: MainWindow, required: bool = False) -> str:
    """A recipe of two steps, whose speed is left open."""
    rig = window.session.rigs["deckhand.glb"]
    speed, over = make("retime", "Quicker", speed=2.0), make("mirror", "Other side")
    return recipes.put(
        window.session, "save recipe",
        keep("Quick and over", [(speed, rig), (over, rig)], [Parameter("Pace", speed.id, "speed", required=required)]),
    )  # fmt: skip


def _select_clips(window: MainWindow, *names: str) -> None:
    clips = window.clip_panel.clips
    clips.clearSelection()
    for i in range(clips.count()):
        clips.item(i).setSelected(clips.item(i).text() in names)


def _select_recipe(window: MainWindow, name: str) -> None:
    library_folder = window.clip_panel.recipes
    library_folder.setCurrentRow(
        next(i for i in range(library_folder.count()) if library_folder.item(i).text() == name)
    )


def _let_go(widget: QWidget, name: str, at: QPointF) -> None:
    """A recipe is dragged over a widget and let go there."""
    data, none = of_recipe(name), Qt.KeyboardModifier.NoModifier
    action, left = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton
    move = QDragMoveEvent(at.toPoint(), action, data, left, none)
    widget.dragMoveEvent(move)
    assert move.isAccepted()
    widget.dropEvent(QDropEvent(at, action, data, left, none))


def _batch(window: MainWindow, qtbot, name: str, *clips: str) -> BatchDialog:
    _select_clips(window, *clips)
    _select_recipe(window, name)
    window.commands.run("run_recipe")
    qtbot.waitUntil(lambda: window.desk.batch is not None and window.desk.batch.go.isEnabled())
    idle(qtbot, window)
    return window.desk.batch


def _ended(qtbot, batch: BatchDialog) -> None:
    qtbot.waitUntil(lambda: not batch.batch.running)
    idle(qtbot, batch.parent())


def _cells(batch: BatchDialog, column: int) -> list[str]:
    return [batch.table.item(i, column).text() for i in range(batch.table.rowCount())]


def test_steps_are_kept_with_what_stays_open(demo: MainWindow, qtbot) -> None:
    window = demo
    open_take(window, qtbot, "Haul, wind-up slowed")
    window.commands.run("keep_recipe")
    dialog = dialog_of(qtbot, window, KeepRecipe)
    assert dialog.name.text() == "Haul, wind-up slowed"
    dialog.name.setText("Slower")
    top = dialog.tree.topLevelItem(0)
    row = next(top.child(i) for i in range(top.childCount()) if top.child(i).text(0) == "How")
    row.setCheckState(0, _CHECKED)
    assert row.text(2) == "How" and dialog.go.isEnabled()
    row.setText(2, "")
    assert not dialog.go.isEnabled() and "name" in dialog.go.toolTip()
    row.setText(2, "Which way")
    click(dialog.go)
    kept = recipes.recipe(window.session, "Slower")
    assert kept.parameters == (Parameter("Which way", kept.steps[0].id, "how"),)
    assert window.clip_panel.recipes.isVisible() and window.clip_panel.recipes.count() == 1
    window.commands.run("undo")
    assert not window.session.project.recipes and not window.clip_panel.recipes.isVisible()
    window.commands.run("redo")
    recipes.rename(window.session, "Slower", "Slow")
    _select_recipe(window, "Slow")
    QTest.keyClick(window.clip_panel.recipes, Qt.Key.Key_Delete)
    assert not window.session.project.recipes


def test_a_recipe_is_dropped_onto_a_take_and_onto_the_line(demo: MainWindow, qtbot) -> None:
    window = demo
    name = _quick(window)
    takes = window.clip_panel.takes
    row = next(i for i in range(takes.count()) if takes.item(i).data(THING).take == "Walk, chin up")
    takes.scrollToItem(takes.item(row))
    before = window.session.project.take("Walk, chin up")
    _let_go(takes, name, QPointF(takes.visualItemRect(takes.item(row)).center()))
    dialog = dialog_of(qtbot, window, ParametersDialog)
    dialog.form.controls["Pace"].setValue(3.0)
    click(dialog.go)
    qtbot.waitUntil(lambda: len(window.session.project.take("Walk, chin up").steps) == 3)
    after = window.session.project.take("Walk, chin up")
    assert after.steps[0] == before.steps[0] and after.steps[1].settings.speed == 3.0
    assert len({s.id for s in after.steps}) == 3
    ready(qtbot, window)
    bare = recipes.put(window.session, "save recipe", Recipe("Swap", (make("mirror", "Swap"),)))
    line = window.revision_line
    _let_go(line, bare, QPointF(line.cards[after.steps[0].id].geometry().left() - 4, 40))
    assert [s.name for s in window.session.take.steps] == ["Swap", "Chin up", "Quicker", "Other side"]
    window.commands.run("undo")
    assert window.session.take == after


def test_a_recipe_over_clips_makes_takes_that_undo_as_one(demo: MainWindow, qtbot) -> None:
    window = demo
    name = _quick(window)
    clips = window.clip_panel.clips
    _select_clips(window, *PEOPLE)
    item = next(clips.item(i) for i in range(clips.count()) if clips.item(i).text() == "rope haul")
    clips.scrollToItem(item)
    _let_go(clips, name, QPointF(clips.visualItemRect(item).center()))
    batch = window.desk.batch
    qtbot.waitUntil(lambda: "Every step applies" in batch.unfit.text())
    batch.form.controls["Pace"].setValue(4.0)
    qtbot.waitUntil(lambda: batch.go.isEnabled() and "Every step" in batch.unfit.text())
    count = len(window.session.project.takes)
    click(batch.go)
    _ended(qtbot, batch)
    assert (
        _cells(batch, 1) == ["Done"] * 3 and all("→" in c for c in _cells(batch, 3)) and "3 of 3" in batch.said.text()
    )
    made = window.session.project.takes[count:]
    assert [(t.source.clip, t.folder) for t in made] == [(c, name) for c in PEOPLE]
    assert all(t.steps[0].settings.speed == 4.0 for t in made)
    assert batch.preview.figure is not None
    batch.close()
    again = _batch(window, qtbot, name, *PEOPLE, "walk on the spot")
    again.form.controls["Pace"].setValue(4.0)
    qtbot.waitUntil(lambda: again.go.isEnabled() and "Every step" in again.unfit.text())
    click(again.go)
    _ended(qtbot, again)
    assert sorted(_cells(again, 1)) == ["Done", *["Exists already"] * 3]
    window.commands.run("undo")
    window.commands.run("undo")
    assert len(window.session.project.takes) == count


def test_a_batch_is_held_and_gone_on_with(demo: MainWindow, qtbot) -> None:
    window = demo
    batch = _batch(window, qtbot, _quick(window), "walk", "rope haul", "step up", "walk on the spot")
    click(batch.go)
    click(batch.hold)
    _ended(qtbot, batch)
    assert _cells(batch, 1) == ["Done", "Waiting", "Waiting", "Waiting"] and batch.go.text() == "Continue"
    batch.close()
    assert not batch.isVisible()
    window.commands.run("show_batch")
    assert batch.isVisible()
    click(batch.go)
    click(batch.stop)  # at once: the clip at hand waits again
    _ended(qtbot, batch)
    assert _cells(batch, 1)[0] == "Done" and "At work" not in _cells(batch, 1)
    click(batch.go)
    _ended(qtbot, batch)
    assert _cells(batch, 1) == ["Done"] * 4 and not batch.go.isEnabled()


def test_one_batch_runs_at_a_time_and_belongs_to_its_project(demo: MainWindow, qtbot, raised) -> None:
    window = demo
    name = _quick(window)
    first = _batch(window, qtbot, name, "walk", "rope haul", "step up")
    first.slider.sliderPressed.emit()
    first.slider.sliderReleased.emit()  # there may be nothing yet that plays
    QApplication.processEvents()
    click(first.go)
    window.desk.say("")
    run_over(window.desk, name)
    assert window.desk.batch is first and "stop it first" in window.statusBar().currentMessage()
    click(first.stop)
    _ended(qtbot, first)
    first.look()  # is still looking when another one takes its place
    with qtbot.waitSignal(first.destroyed):
        run_over(window.desk, name)
    second = window.desk.batch
    assert second is not first
    idle(qtbot, window)
    qtbot.waitUntil(second.go.isEnabled)
    window.session.history.saved(window.session.project)
    window.session.load(demo_copy())
    ready(qtbot, window)
    assert not second.go.isEnabled() and "closed" in second.go.toolTip() and not raised


def test_what_does_not_apply_is_said_before_the_run(demo: MainWindow, qtbot) -> None:
    window = demo
    session = window.session
    rig = session.rigs["deckhand.glb"]
    goal = make("reach", "ActiveSpan", limb="right hand", to="point")
    name = recipes.put(session, "save recipe", keep("ActiveSpan out", [(goal, rig)]))
    batch = _batch(window, qtbot, name, "walk", "strut")
    assert (
        "Will be left out" in batch.unfit.text()
        and "strut" in batch.unfit.text()
        and "ActiveSpan" in batch.unfit.text()
    )
    notes = _cells(batch, 4)
    assert notes[0] == "" and "without ActiveSpan" in notes[1]
    click(batch.go)
    _ended(qtbot, batch)
    made = {t.source.clip: t for t in session.project.takes if t.folder == "ActiveSpan out"}
    assert made["walk"].steps[0].on and not made["strut"].steps[0].on and "left out: ActiveSpan" in _cells(batch, 4)[1]


def test_results_can_be_files_that_are_passed_over_the_next_time(demo: MainWindow, qtbot, tmp_path: Path) -> None:
    window = demo
    name = _quick(window, required=True)
    _select_clips(window, "walk", "strut")
    _select_recipe(window, name)
    window.commands.run("run_recipe")
    batch = window.desk.batch
    assert not batch.go.isEnabled() and "Pace" in batch.go.toolTip()
    batch.form.controls["Pace"].setValue(1.5)
    batch.results.files.setChecked(True)
    batch.results.place.field.setText(str(window.session.folder / "sources"))
    assert not batch.go.isEnabled() and "belongs to the project" in batch.go.toolTip()
    batch.results.place.field.setText(str(tmp_path / "out"))
    qtbot.waitUntil(lambda: batch.go.isEnabled())
    takes = window.session.project.takes
    click(batch.go)
    _ended(qtbot, batch)
    assert {p.name for p in (tmp_path / "out").glob("*.glb")} == {
        "walk, Quick and over.glb", "strut, Quick and over.glb"
    }  # fmt: skip
    assert read(tmp_path / "out/walk, Quick and over.glb").clips[0].frames == 22  # 33 at one and a half times the speed
    assert window.session.project.takes == takes
    again = _batch_of_files(window, qtbot, name, tmp_path / "out")
    assert _cells(again, 1) == ["Exists already"] * 2
    (tmp_path / "out/strut, Quick and over.glb.clip.json").write_text("{}")
    again = _batch_of_files(window, qtbot, name, tmp_path / "out")
    assert sorted(_cells(again, 1)) == ["Exists already", "Failed"] and any(
        "exists already" in c for c in _cells(again, 4)
    )


def _batch_of_files(window: MainWindow, qtbot, name: str, out: Path) -> BatchDialog:
    _select_clips(window, "walk", "strut")
    _select_recipe(window, name)
    window.commands.run("run_recipe")
    batch = window.desk.batch
    batch.form.controls["Pace"].setValue(1.5)
    batch.results.files.setChecked(True)
    batch.results.place.field.setText(str(out))
    qtbot.waitUntil(lambda: batch.go.isEnabled())
    click(batch.go)
    _ended(qtbot, batch)
    return batch


def test_recipes_go_out_into_files_and_come_in_by_a_drop(
    demo: MainWindow, qtbot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    window = demo
    name = _quick(window)
    _select_recipe(window, name)
    monkeypatch.setattr("reflexa.desktop.actions.recipes.ask_where", lambda *_: tmp_path / "q.recipe.json")
    window.commands.run("recipe_out")
    drop(window, tmp_path / "q.recipe.json")
    kept = window.session.project.recipes
    assert [r.name for r in kept] == [name, f"{name} 2"] and kept[1].steps == kept[0].steps
    (tmp_path / "bad.recipe.json").write_text("{")
    drop(window, tmp_path / "bad.recipe.json")
    qtbot.waitUntil(lambda: window.desk.dialog is not None)
    assert "bad.recipe.json" in window.desk.dialog.text() and len(window.session.project.recipes) == 2


def test_a_batch_of_a_project_that_was_closed_comes_to_nothing(demo: MainWindow, qtbot) -> None:
    window = demo
    batch = _batch(window, qtbot, _quick(window), *PEOPLE)
    click(batch.go)
    window.start_empty()
    _ended(qtbot, batch)
    assert not window.session.project.takes
    qtbot.waitUntil(lambda: not window.commands.action("show_batch").isEnabled())
