"""The first ten minutes: a welcome, a first clip step by step, notes that tell the demo's story, and the guide at hand."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from reflexa.desktop.dialogs import guide
from reflexa.desktop.dialogs.export import ExportDialog
from reflexa.desktop.dialogs.guide import Guide
from reflexa.desktop.dialogs.welcome import Welcome, wanted_at_start
from reflexa.desktop.settings.result_page import ResultPage
from reflexa.desktop.tour import CLIP, STOPS
from reflexa.desktop.window import MainWindow
from tests.helpers.files import ROOT
from tests.helpers.hands import button, click, double_click
from tests.helpers.windows import dialog_of, idle, open_take, ready


def test_the_welcome_shows_what_can_be_done_and_opens_the_demo(empty: MainWindow, qtbot) -> None:
    empty.commands.run("welcome")
    welcome = dialog_of(qtbot, empty, Welcome)
    qtbot.waitUntil(lambda: all(r.figure is not None for _, r in welcome.pictures))
    pose = welcome.pictures[0][1].pose
    qtbot.waitUntil(lambda: welcome.pictures[0][1].pose != pose)
    assert wanted_at_start()
    welcome.again.setChecked(False)
    assert not wanted_at_start()
    QSettings().remove("welcome at start")
    click(button(welcome, "Open the demo"))
    ready(qtbot, empty)
    assert len(empty.session.project.takes) == 25


def test_the_takes_of_the_demo_tell_their_story_and_notes_are_written(demo: MainWindow, qtbot) -> None:
    assert all(20 < len(t.note) < 200 for t in demo.session.project.takes)
    open_take(demo, qtbot, "Walk, skating fixed")
    page = demo.settings.findChild(ResultPage)
    assert "skate" in page.note.toPlainText()
    page.note.setFocus()
    page.note.setPlainText("Still to be shown to Ada.")
    QTest.keyClick(page.note, Qt.Key.Key_Tab)
    assert demo.session.take.note == "Still to be shown to Ada." and not page.note.hasFocus()
    demo.commands.run("undo")
    assert "skate" in demo.session.take.note
    QApplication.processEvents()
    assert "skate" in demo.settings.findChild(ResultPage).note.toPlainText()


def test_a_first_clip_is_found_mended_compared_and_exported(demo: MainWindow, qtbot) -> None:
    demo.commands.run("tour")
    tour, session = demo.desk.tour, demo.session
    assert tour.isVisible() and tour.at == 0 and "walk, skating" in tour.text.text()

    def at(n: int) -> None:
        qtbot.waitUntil(lambda: tour.at == n)

    clips = demo.clip_panel.clips
    item = next(clips.item(i) for i in range(clips.count()) if clips.item(i).text() == CLIP)
    clips.scrollToItem(item)
    click(clips.viewport(), clips.visualItemRect(item).center())
    double_click(clips.viewport(), clips.visualItemRect(item).center())
    ready(qtbot, demo)
    assert session.take.source.clip == CLIP and not session.take.steps, session.take.name
    at(1)
    qtbot.waitUntil(lambda: session.evaluator.judgement.count > 0)
    demo.commands.run("next_finding")
    at(2)
    demo.commands.run("fix_all")
    qtbot.waitUntil(lambda: demo.desk.dialog is not None and demo.desk.dialog.isVisible())
    demo.desk.dialog.accept()
    at(3)
    demo.viewport.set_compare("Both")
    at(4)
    demo.commands.run("export")
    dialog_of(qtbot, demo, ExportDialog).close()
    at(len(STOPS))
    assert tour.skip.text() == "Close" and not tour.leave.isVisible()
    click(tour.skip)
    qtbot.waitUntil(lambda: demo.desk.tour is None)


def test_the_tour_opens_the_demo_and_can_be_left(empty: MainWindow, qtbot) -> None:
    empty.commands.run("tour")
    qtbot.waitUntil(lambda: empty.desk.tour is not None)
    assert any(c.name == CLIP for d in empty.session.sources.documents.values() for c in d.clips)
    first = empty.desk.tour
    empty.commands.run("tour")  # begun anew: the first card is gone, and the second is known
    with qtbot.waitSignal(first.destroyed):
        second = empty.desk.tour
    assert empty.desk.tour is second is not first
    click(second.leave)
    qtbot.waitUntil(lambda: empty.desk.tour is None)
    idle(qtbot, empty)


def test_the_guide_is_read_in_the_window(empty: MainWindow, qtbot) -> None:
    empty.commands.run("guide")
    shown = empty.desk.guide
    assert isinstance(shown, Guide) and shown.list.count() == len(list((ROOT / "docs/guide").glob("*.md")))
    assert "How do I get my files in?" in shown.page.toPlainText()
    shown.search.setText("crossfade")
    left = [shown.list.item(i).text() for i in range(shown.list.count()) if not shown.list.item(i).isHidden()]
    assert 0 < len(left) < shown.list.count() and "Time" in left
    shown.list.setCurrentRow(shown.list.count() - 1)
    assert "Glossary" in shown.page.toPlainText()
    shown.close()


def test_pages_of_the_guide_are_short_and_all_in_the_index() -> None:
    at = guide.folder()
    assert at is not None
    listed = [p for _, p in guide.pages(at)]
    assert sorted(listed) == sorted(at.glob("*.md"))
    for path in listed:
        text = path.read_text()
        assert text.startswith("# ") and len(text.split()) < 1_200, path.name


@pytest.mark.parametrize("name", ["lean.recipe.json", "nowhere.take.json"])
def test_documents_that_are_opened_or_dropped(empty: MainWindow, qtbot, tmp_path: Path, name: str) -> None:
    from reflexa.desktop.actions.dropped import open_paths

    (tmp_path / name).write_text('{"reflexa": "recipe", "version": 1, "name": "lean", "steps": [{"kind": "mirror"}]}')
    open_paths(empty.desk, [tmp_path / name])
    if name.startswith("lean"):
        assert [r.name for r in empty.session.project.recipes] == ["lean"]
    else:
        assert "is not in a project" in empty.desk.dialog.text()
