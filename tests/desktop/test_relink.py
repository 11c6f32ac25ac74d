"""Sources that are gone are found again, other files take their place, and sources are taken out; all of it undone."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QPushButton

from reflexa.desktop.actions import files, relink
from reflexa.desktop.clips.delegate import THING
from reflexa.desktop.settings import elsewhere
from reflexa.desktop.settings.result_page import ResultPage
from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.project.uses import clips_of, users
from reflexa.session import RESULT, SOURCE
from reflexa.steps import make
from reflexa.take import Source, Take
from tests.helpers.files import DATA
from tests.helpers.windows import answers, ready

FILE = "deckhand.glb"


@pytest.fixture
def gone(demo, qtbot, tmp_path: Path) -> Path:
    """The demo's main source lies elsewhere, and the project is opened anew. Where it lies."""
    folder = demo.session.folder
    away = tmp_path / "elsewhere" / "the deckhand.glb"
    away.parent.mkdir()
    shutil.move(folder / "sources" / FILE, away)
    files.open_folder(demo.desk, folder)
    demo.desk.dialog.accept()
    assert demo.session.computed.result is None
    return away


def test_a_source_that_was_moved_is_found_by_its_button(demo, gone: Path, qtbot, monkeypatch) -> None:
    session = demo.session
    assert session.sources.missing[FILE]
    asked = answers(monkeypatch)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(gone), ""))
    session.selection.select_card(SOURCE)
    button = next(b for b in demo.settings.findChildren(QPushButton) if b.text() == "Find the file…")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.computed.result is not None)
    ready(qtbot, demo)
    assert not asked, "the same bytes need no question"
    assert not session.computed.problem and session.take.source.file == "the deckhand.glb"
    assert users(session.project, FILE) == ([], []), "steps that draw on it follow"
    assert gone.exists(), "what was chosen is copied, never moved"
    session.undo()
    assert session.take.source.file == FILE
    session.redo()
    files.save(demo.desk)
    assert store.load(session.folder) == session.project


def test_what_was_moved_is_looked_for_and_offered(demo, gone: Path, qtbot, monkeypatch) -> None:
    """In the folders of projects that were open lately, by its bytes; of another file of its name it is said what differs."""
    session, asked = demo.session, answers(monkeypatch, "Cancel")
    monkeypatch.setattr(elsewhere, "recent", lambda: [gone.parent.parent])
    other = gone.parent / FILE
    shutil.copy(DATA / "hand_left.glb", other)
    session.selection.select_card(SOURCE)
    part = demo.settings.findChild(elsewhere.ElsewherePart)
    qtbot.waitUntil(lambda: part.findChild(QPushButton) is not None)
    assert "byte for byte" in part.said.text() and str(gone) in part.said.text()
    bytes_ = gone.read_bytes()
    gone.unlink()
    session.selection.select_card(RESULT)
    session.selection.select_card(SOURCE)
    part = demo.settings.findChildren(elsewhere.ElsewherePart)[-1]
    qtbot.waitUntil(lambda: part.findChild(QPushButton) is not None)
    assert "Another file of this name" in part.said.text() and "Its skeleton is another one" in part.said.text()
    qtbot.mouseClick(part.findChild(QPushButton), Qt.MouseButton.LeftButton)
    assert "not the same file" in asked[0] and session.sources.missing[FILE]
    gone.write_bytes(bytes_)
    session.selection.select_card(RESULT)
    session.selection.select_card(SOURCE)
    part = demo.settings.findChildren(elsewhere.ElsewherePart)[-1]
    qtbot.waitUntil(lambda: part.findChild(QPushButton) is not None)
    qtbot.mouseClick(part.findChild(QPushButton), Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: session.computed.result is not None)
    assert session.take.source.file == "the deckhand.glb" and len(asked) == 1


def test_the_very_file_put_back_under_its_name_needs_no_edit(demo, gone: Path, qtbot, monkeypatch) -> None:
    asked, back = answers(monkeypatch), gone.rename(gone.with_name(FILE))
    relink.relink(demo.desk, FILE, back)
    qtbot.waitUntil(lambda: demo.session.computed.result is not None)
    assert not asked and not demo.session.history.unsaved and not demo.session.sources.missing


def test_another_skeleton_is_said_before_it_is_taken(demo, gone: Path, qtbot, monkeypatch) -> None:
    session, project = demo.session, demo.session.project
    asked = answers(monkeypatch, "Cancel", "Use it anyway")
    other = DATA / "humanoid3d_walk.bvh"
    relink.relink(demo.desk, FILE, other)
    assert "Its skeleton is another one" in asked[0] and "It has no clip" in asked[0]
    assert session.project is project and not (session.folder / "sources" / other.name).exists()
    relink.relink(demo.desk, FILE, other)
    assert session.take.source.file == other.name
    session.selection.select_card(RESULT)
    assert session.computed.result is None and "has no clip" in demo.settings.findChild(ResultPage).facts.text()
    session.undo()
    assert session.project == project


def test_a_clip_that_is_named_by_its_file_follows(empty, qtbot, monkeypatch, tmp_path: Path) -> None:
    """The same bytes under another name: the clip of a BVH is called as its file is, now and when the project is opened anew."""
    session, folder = empty.session, tmp_path / "project"
    (folder / "sources").mkdir(parents=True)
    take = Take("t", Source("walk.bvh", "walk"), (make("blend", clip="walk.bvh/walk"),))
    store.save(Project("p", (SourceFile("walk.bvh"),), (take,)), folder)
    other = shutil.copy(DATA / "humanoid3d_walk.bvh", tmp_path / "found again.bvh")
    files.open_folder(empty.desk, folder)
    empty.desk.dialog.accept()
    asked = answers(monkeypatch)
    relink.relink(empty.desk, "walk.bvh", Path(other))
    ready(qtbot, empty)
    now = session.project.takes[0]
    assert not asked and session.computed.result is not None
    assert now.source.clip == "found again" and now.steps[0].settings.clip == "found again.bvh/found again"
    files.save(empty.desk)
    files.open_folder(empty.desk, folder)
    ready(qtbot, empty)
    assert session.computed.result is not None and not session.computed.problem


def test_what_is_missing_stands_grey_in_the_library_and_a_double_click_finds_it(demo, gone: Path, monkeypatch) -> None:
    found: list[str] = []
    demo.clip_panel.file_wanted.disconnect()
    demo.clip_panel.file_wanted.connect(found.append)
    rows = [demo.clip_panel.clips.item(i) for i in range(demo.clip_panel.clips.count())]
    row = next(r for r in rows if r.data(THING).missing)
    assert row.text() == FILE and "no such file" in row.toolTip().lower()
    demo.clip_panel.clips.itemActivated.emit(row)
    assert found == [FILE]


def test_a_damaged_take_stays_listed(demo, qtbot) -> None:
    folder = demo.session.folder
    take = next((folder / "takes").iterdir())
    take.write_bytes(b"{")
    files.open_folder(demo.desk, folder)
    demo.desk.dialog.accept()
    rows = [demo.clip_panel.takes.item(i) for i in range(demo.clip_panel.takes.count())]
    row = next(r for r in rows if r.text() == take.name)
    assert take.name in row.toolTip() and not row.data(THING).take
    demo.clip_panel.takes.itemClicked.emit(row)
    files.save(demo.desk)
    assert take.read_bytes() == b"{"


def test_a_source_is_removed_with_its_takes_and_comes_back(demo, qtbot, monkeypatch) -> None:
    session = demo.session
    project = session.project
    begin, _ = users(project, FILE)
    assert begin and all(clips_of(t, FILE) for t in begin)
    asked = answers(monkeypatch, "Cancel", "Remove it")
    relink.remove(demo.desk, FILE)
    assert begin[0].name in asked[0] and session.project is project
    relink.remove(demo.desk, FILE)
    assert FILE not in {s.file for s in session.project.sources}
    assert len(session.project.takes) == len(project.takes) - len(begin)
    assert (session.folder / "sources" / FILE).exists()
    ready(qtbot, demo)
    session.undo()
    ready(qtbot, demo)
    assert session.project == project and session.computed.result is not None
