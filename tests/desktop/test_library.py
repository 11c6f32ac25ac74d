"""Library in the window: added, searched, looked at, put in order, and their clips used, by mouse, drop and keyboard."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QInputDialog, QWidget

from reflexa.desktop.actions import library, view
from reflexa.desktop.dropping import of_picks
from reflexa.desktop.settings.joint_table import JointTable
from reflexa.desktop.window import MainWindow
from reflexa.formats import read
from reflexa.library import index as library_index
from reflexa.library.folder_list import load_folders, without_folder
from reflexa.library.notes import notes_path, read_notes
from reflexa.library.query import Query
from reflexa.project import store
from reflexa.steps.rename import RenameReport
from tests.helpers.hands import drop, hover
from tests.helpers.library import fill, moved, scanned
from tests.helpers.windows import dialog_of, idle, open_take, painted, ready


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A library folder of four clips and a damaged file; its index lies beside."""
    at = fill(tmp_path_factory.mktemp("library") / "clips")
    finder = scanned(at, at.parent)
    finder.index.rows("pragma wal_checkpoint(truncate)")
    finder.index.close()
    return at


@pytest.fixture
def own(folder: Path, tmp_path: Path) -> Path:
    """A copy of it, whose index is known already."""
    at = Path(shutil.copytree(folder, tmp_path / "clips"))
    moved(folder.parent / "library.sqlite", folder, at, library_index.index_path())
    return at


@pytest.fixture
def shelved(demo: MainWindow, qtbot, own: Path) -> MainWindow:
    """The demo and the library folder."""
    drop(demo, own)
    settled(qtbot, demo)
    ready(qtbot, demo)
    return demo


def settled(qtbot, window: MainWindow) -> None:
    """Wait until the library are scanned, and what is asked for is found."""
    work = window.library.work
    qtbot.waitUntil(lambda: not work.scanning and not window.session.work.busy)


def names(window: MainWindow) -> list[str]:
    model = window.library.model
    return [model.index(i).data() for i in range(model.rowCount())]


def choose(window: MainWindow, *clips: str) -> None:
    """Click clips, the later ones with Ctrl."""
    grid = window.library.grid
    for i, clip in enumerate(clips):
        index = window.library.model.index(names(window).index(clip))
        grid.scrollTo(index)
        modifier = Qt.KeyboardModifier.ControlModifier if i else Qt.KeyboardModifier.NoModifier
        QTest.mouseClick(grid.viewport(), Qt.MouseButton.LeftButton, modifier, grid.visualRect(index).center())


def dropped_picks(widget: QWidget, *picks: tuple[Path, str], at: QPoint | None = None) -> None:
    where, data = QPointF(at if at is not None else widget.rect().center()), of_picks(picks)
    event = QDropEvent(where, Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    widget.dropEvent(event)


def test_a_folder_that_is_dropped_is_a_library_folder(shelved: MainWindow) -> None:
    assert names(shelved) == ["brisk", "Take_run01", "Take_walk01", "walk"]
    assert shelved.tabs.currentWidget() is shelved.library
    assert "1 file cannot be read" in shelved.library.status.text() and "4 clips" in shelved.library.status.text()
    assert [s.name for s in load_folders().folders] == ["clips"]
    QTest.keyClicks(shelved.library.search, "wal")


def test_search_as_you_type_and_filters(shelved: MainWindow, qtbot) -> None:
    QTest.keyClicks(shelved.library.search, "walk")
    qtbot.waitUntil(lambda: names(shelved) == ["Take_walk01", "walk"])
    shelved.library.search.clear()
    boxes = shelved.library.filters.boxes
    for name, wanted, found in (
        ("Any rig", "Fits, renamed", ["brisk", "walk"]),
        ("Any motion", "Running", ["Take_run01"]),
        ("Any state", "Cannot be read", ["broken.bvh"]),
        ("Any state", "There twice", ["brisk", "walk"]),
    ):
        box = boxes[name]
        box.setCurrentIndex(box.findText(wanted))
        box.activated.emit(box.currentIndex())
        qtbot.waitUntil(lambda found=found: sorted(names(shelved)) == found)
        assert shelved.library.filter_button.text() == "Filter · 1"
        shelved.library.filters.clear()
    qtbot.waitUntil(lambda: len(names(shelved)) == 4)


def test_a_preview_plays_under_the_pointer_and_is_large_on_space(shelved: MainWindow, qtbot) -> None:
    grid, model = shelved.library.grid, shelved.library.model
    index = model.index(names(shelved).index("walk"))
    idle(qtbot, shelved)  # its width is settled then
    hover(grid.viewport(), grid.visualRect(index).center())
    assert shelved.library.cell.playing == model.ids[index.row()]
    before = painted(grid)
    qtbot.waitUntil(lambda: shelved.library.cell.seconds > 0)
    qtbot.waitUntil(lambda: bool((painted(grid) != before).any()))
    choose(shelved, "walk")
    QTest.keyClick(grid, Qt.Key.Key_Space)
    big = shelved.library.big
    assert (
        big is not None
        and big.isVisible()
        and "33 frames" in big.facts.text()
        and "fits the open rig" in big.facts.text()
    )
    big.play.click()
    big.slider.setValue(9)
    big.keep.click()
    settled(qtbot, shelved)
    library_folder = shelved.library.work.folders.folders[0]
    assert read_notes(library_folder).of("own.glb#walk").frame == 9
    QTest.keyClick(big, Qt.Key.Key_Up)
    assert big.windowTitle() == "Take_walk01"
    QTest.keyClick(big, Qt.Key.Key_Space)
    assert not big.isVisible()


def test_a_double_click_makes_a_take_and_renames_on_the_way(shelved: MainWindow, qtbot, tmp_path: Path) -> None:
    grid = shelved.library.grid
    index = shelved.library.model.index(names(shelved).index("brisk"))
    before = sorted(p.name for p in (tmp_path / "clips").rglob("*"))
    QTest.mouseClick(grid.viewport(), Qt.MouseButton.LeftButton, pos=grid.visualRect(index).center())
    QTest.mouseDClick(grid.viewport(), Qt.MouseButton.LeftButton, pos=grid.visualRect(index).center())
    qtbot.waitUntil(lambda: shelved.session.take.name.startswith("brisk"))
    ready(qtbot, shelved)
    take = shelved.session.take
    assert [s.kind for s in take.steps] == ["rename"] and take.steps[0].settings.rig == "deckhand.glb"
    shelved.session.selection.select_card(take.steps[0].id)
    qtbot.waitUntil(lambda: isinstance(shelved.session.computed.report, RenameReport))
    assert shelved.session.computed.report.names["ferry_pelvis"] == "pelvis"
    assert shelved.session.computed.result.skeleton.names == shelved.session.rigs["deckhand.glb"].skeleton.names
    table = shelved.settings.findChild(JointTable)
    row = next(i for i in range(table.rowCount()) if table.item(i, 0).text() == "ferry_hand_left")
    table.item(row, 1).setText("hand_right")  # as typed: the two change places, for no two joints have one name
    qtbot.waitUntil(lambda: shelved.session.take.steps[0].settings.names.get("ferry_hand_right") == "hand_left")
    ready(qtbot, shelved)
    assert (
        shelved.session.computed.report.names["ferry_hand_left"] == "hand_right"
        and not shelved.session.computed.problem
    )
    shelved.session.undo()
    entry = next(s for s in shelved.session.project.sources if s.file == "other.glb")
    assert (entry.library_folder, entry.library_path) == ("clips", "other.glb") and entry.digest
    assert "clips" in (shelved.session.folder / "project.json").read_text() or shelved.session.history.unsaved
    assert sorted(p.name for p in (tmp_path / "clips").rglob("*")) == before
    assert "renamed" in shelved.statusBar().currentMessage()
    shelved.session.undo()
    assert shelved.session.project.take(take.name) is None
    assert "other.glb" not in [s.file for s in shelved.session.project.sources]


def test_what_needs_a_retarget_says_so_and_can_have_it(shelved: MainWindow, qtbot) -> None:
    choose(shelved, "Take_walk01")
    library.make_takes(shelved.desk)
    qtbot.waitUntil(lambda: shelved.session.take.name == "Take_walk01")
    ready(qtbot, shelved)
    assert shelved.session.take.steps == () and "Retarget" in shelved.statusBar().currentMessage()
    open_take(shelved, qtbot, "Walk, chin up")
    choose(shelved, "Take_walk01")
    library.make_takes(shelved.desk, retarget=True)
    qtbot.waitUntil(lambda: "as deckhand" in shelved.session.take.name)
    assert [s.kind for s in shelved.session.take.steps] == ["retarget"]
    files = [s.file for s in shelved.session.project.sources]
    assert files.count("Take_walk01.bvh") == 1  # copied in once


def test_clips_are_dropped_where_they_are_wanted(shelved: MainWindow, qtbot, tmp_path: Path) -> None:
    own = tmp_path / "clips/own.glb"
    open_take(shelved, qtbot, "Walk, chin up")
    steps = len(shelved.session.take.steps)
    dropped_picks(shelved.revision_line, (own, "walk"), at=QPoint(2000, 20))
    qtbot.waitUntil(lambda: len(shelved.session.take.steps) == steps + 1)
    ready(qtbot, shelved)
    blend = shelved.session.take.steps[-1]
    assert blend.kind == "blend" and blend.settings.clip == "own.glb/walk" and not shelved.session.computed.problem
    dropped_picks(shelved.time_area, (own, "walk"))
    qtbot.waitUntil(lambda: len(shelved.session.take.source.segments) == 2)
    dropped_picks(shelved.revision_line.cards["source"], (own, "walk"))
    qtbot.waitUntil(lambda: len(shelved.session.take.source.segments) == 3)
    dropped_picks(shelved, (own, "walk"), (tmp_path / "clips/captures/Take_run01.bvh", "Take_run01"))
    qtbot.waitUntil(lambda: shelved.session.project.take("Take_run01") is not None)


def test_tags_stars_and_sets(shelved: MainWindow, qtbot, monkeypatch, tmp_path: Path) -> None:
    choose(shelved, "walk", "brisk")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("calm, ferry", True))
    library.tag(shelved.desk)
    library.into_set(shelved.desk, "Landing")
    settled(qtbot, shelved)
    assert sorted(r.clip for r in shelved.library.chosen()) == ["brisk", "walk"]  # what is chosen stays so
    plain = json.loads((tmp_path / "clips.shelf.json").read_text())
    assert plain["clips"]["own.glb#walk"]["tags"] == ["calm", "ferry"] and len(plain["sets"]["Landing"]) == 2
    QTest.keyClicks(shelved.library.search, "ferry")
    qtbot.waitUntil(lambda: names(shelved) == ["brisk", "walk"])
    shelved.library.search.clear()
    library.choose_set(shelved.desk, "Landing")
    qtbot.waitUntil(lambda: len(shelved.library.chosen()) == 2 and len(names(shelved)) == 2)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Landings", True))
    library.keep_search(shelved.desk)
    assert load_folders().searches["Landings"] == Query(set="Landing")


def test_like_this_one(shelved: MainWindow, qtbot) -> None:
    choose(shelved, "brisk")
    shelved.commands.run("like_this")
    qtbot.waitUntil(lambda: names(shelved)[:2] == ["brisk", "walk"])
    assert "brisk" in shelved.library.near_button.text()
    shelved.library.near_button.click()
    qtbot.waitUntil(lambda: names(shelved)[1] == "Take_run01")


def test_what_changes_on_disk_is_noticed(shelved: MainWindow, qtbot, tmp_path: Path) -> None:
    shutil.copy(tmp_path / "clips/captures/Take_run01.bvh", tmp_path / "clips/late.bvh")
    qtbot.waitUntil(lambda: "late" in names(shelved))
    os.unlink(tmp_path / "clips/late.bvh")
    qtbot.waitUntil(lambda: "late" not in names(shelved))


def test_newer_in_the_library_is_told_and_taken(shelved: MainWindow, qtbot, tmp_path: Path) -> None:
    choose(shelved, "Take_walk01")
    library.make_takes(shelved.desk)
    qtbot.waitUntil(lambda: shelved.session.take.name == "Take_walk01")
    ready(qtbot, shelved)
    path = tmp_path / "clips/captures/Take_walk01.bvh"
    lines = path.read_text().splitlines()
    at = next(i for i, text in enumerate(lines) if text.startswith("Frames:"))
    path.write_text("\n".join([*lines[:at], "Frames: 30", lines[at + 1], *lines[at + 2 : at + 32]]) + "\n")
    library.look_for_newer(shelved.desk)
    qtbot.waitUntil(lambda: bool(shelved.library.newer))
    assert "Newer in the library: Take_walk01.bvh" in shelved.statusBar().currentMessage()
    shelved.commands.run("take_newer")
    ready(qtbot, shelved)
    assert shelved.session.computed.result.frames == 30 and not shelved.library.newer


def test_clean_copies(shelved: MainWindow, qtbot, tmp_path: Path) -> None:
    choose(shelved, "Take_walk01", "Take_run01")
    library.normalise_into(shelved.desk, tmp_path / "clean")
    assert sorted(p.name for p in (tmp_path / "clean").iterdir()) == [
        "Take_run01.bvh", "Take_run01.bvh.clip.json", "Take_walk01.bvh", "Take_walk01.bvh.clip.json",
    ]  # fmt: skip
    frame = read(tmp_path / "clean/Take_walk01.bvh").frame
    assert (frame.unit, frame.up, frame.facing) == ("m", "+Y", "+Z")


def test_the_panel_fills_the_window_and_gives_it_back(shelved: MainWindow, qtbot) -> None:
    narrow = shelved.library.width()
    QTest.keyClick(shelved, Qt.Key.Key_F9)
    qtbot.waitUntil(lambda: shelved.library.width() > 1000 and not shelved.viewport.isVisible())
    QTest.keyClick(shelved, Qt.Key.Key_F9)
    qtbot.waitUntil(lambda: abs(shelved.library.width() - narrow) < 24 and shelved.viewport.isVisible())


def test_a_damaged_list_or_notes_are_said_and_left_alone(demo: MainWindow, qtbot, own: Path, tmp_path: Path) -> None:
    (tmp_path / "clips.shelf.json").write_text("[[[")
    drop(demo, own)
    settled(qtbot, demo)
    assert len(names(demo)) == 4
    choose(demo, "walk")
    library.into_set(demo.desk, "x")
    assert "not valid JSON" in demo.library.status.text()
    assert (tmp_path / "clips.shelf.json").read_text() == "[[["


def test_without_a_library_folder_the_panel_says_what_one_is(demo: MainWindow, monkeypatch, own: Path, qtbot) -> None:
    demo.commands.run("library")
    assert demo.library.hint.isVisible() and "Nothing in it is ever changed" in demo.library.hint.text()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(own))
    demo.library.add_button.click()
    settled(qtbot, demo)
    assert len(names(demo)) == 4 and not demo.library.hint.isVisible()
    assert notes_path(demo.library.work.folders.folders[0]).name == "clips.shelf.json"


def test_a_project_folder_that_is_dropped_is_opened_and_stands_among_the_recent_ones(
    demo: MainWindow, qtbot, tmp_path: Path
) -> None:
    from reflexa.desktop.dialogs.recent import RecentDialog

    store.save(store.Project("Ours"), tmp_path / "ours")
    drop(demo, tmp_path / "ours")
    qtbot.waitUntil(lambda: demo.session.project.name == "Ours")
    demo.commands.run("recent")
    dialog = dialog_of(qtbot, demo, RecentDialog)
    assert dialog.list.item(0).text().startswith("ours")
    dialog.list.setCurrentRow(dialog.list.count() - 1)
    QTest.keyClick(dialog.list, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: demo.session.project.name == "Saltmarsh Ferry")
    idle(qtbot, demo)


def test_what_is_done_in_the_library_undoes_on_its_own_way(
    shelved: MainWindow, qtbot, monkeypatch, tmp_path: Path
) -> None:
    library_folder = shelved.library.work.folders.folders[0]
    choose(shelved, "walk")
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("calm", True))
    library.tag(shelved.desk)
    library.into_set(shelved.desk, "Landing {1}")
    settled(qtbot, shelved)
    shelved.commands.refresh()
    assert "put 1 clip into Landing {1}" in shelved.commands.action("undo_library").text()
    project = shelved.session.project
    shelved.commands.run("undo_library")
    assert read_notes(library_folder).sets == {} and read_notes(library_folder).tags == {"calm": 1}
    shelved.commands.run("undo_library")
    assert read_notes(library_folder).tags == {} and shelved.session.project is project
    shelved.commands.run("redo_library")
    assert read_notes(library_folder).tags == {"calm": 1}
    shelved.library.work.set_folders("remove the library folder clips", lambda s: without_folder(s, "clips"))
    qtbot.waitUntil(lambda: not names(shelved))
    shelved.commands.run("undo_library")
    qtbot.waitUntil(lambda: len(names(shelved)) == 4)
    assert [s.name for s in load_folders().folders] == ["clips"]


def test_a_problem_stays_to_be_read(shelved: MainWindow, qtbot, tmp_path: Path) -> None:
    (tmp_path / "clips.shelf.json").write_text("{")
    choose(shelved, "walk")
    library.into_set(shelved.desk, "x")
    settled(qtbot, shelved)
    QTest.keyClicks(shelved.library.search, "walk")
    qtbot.waitUntil(lambda: len(names(shelved)) == 2)
    assert "not valid JSON" in shelved.library.status.text()


def test_what_is_compared_with_is_known_after_another_scan(shelved: MainWindow, qtbot, tmp_path: Path) -> None:
    choose(shelved, "brisk")
    shelved.commands.run("like_this")
    qtbot.waitUntil(lambda: names(shelved)[:2] == ["brisk", "walk"])
    assert not shelved.library.filters.order.isEnabled() and "brisk" in shelved.library.filters.order.toolTip()
    before = shelved.library.model.ids
    os.utime(tmp_path / "clips/other.glb", (9, 9))
    shelved.commands.run("scan_library")
    qtbot.waitUntil(lambda: shelved.library.model.ids != before)
    assert names(shelved)[:2] == ["brisk", "walk"]


def test_a_take_that_is_made_is_seen(shelved: MainWindow, qtbot) -> None:
    shelved.desk.fill(True, view.panel(shelved.desk, "left"))
    choose(shelved, "walk")
    assert shelved.library.take_button.text() == "Make take"
    library.make_takes(shelved.desk)
    qtbot.waitUntil(lambda: shelved.session.take.name.startswith("walk"))
    qtbot.waitUntil(shelved.viewport.isVisible)


def test_several_folders_are_several_library_folders(demo: MainWindow, qtbot, tmp_path: Path) -> None:
    folders = [tmp_path / n for n in ("one", "two")]
    for f in folders:
        f.mkdir()
    drop(demo, *folders)
    settled(qtbot, demo)
    assert [s.name for s in load_folders().folders] == ["one", "two"]
