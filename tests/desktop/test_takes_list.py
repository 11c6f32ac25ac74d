"""The takes of the project in the list: folders, order by drag, several at once, the open one in sight, by keyboard."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QDropEvent, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog

from reflexa.desktop.clips.delegate import THING
from reflexa.desktop.clips.previews import Thing
from reflexa.desktop.window import MainWindow
from reflexa.project import store
from reflexa.session import takes
from tests.helpers.windows import open_take


def listed(window: MainWindow) -> list[str]:
    """Takes by name, headings in brackets."""
    things = [window.clip_panel.takes.item(i).data(THING) for i in range(window.clip_panel.takes.count())]
    return [f"[{t.folder}]" if t.heading else t.take for t in things]


def click(window: MainWindow, row: int, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> QPoint:
    rows = window.clip_panel.takes
    rows.scrollToItem(rows.item(row))
    at = rows.visualItemRect(rows.item(row)).center()
    QTest.mouseClick(rows.viewport(), Qt.MouseButton.LeftButton, modifier, at)
    return at


def drop_on(window: MainWindow, row: int, below: bool = False) -> None:
    """Drop the chosen takes on a row."""
    rows = window.clip_panel.takes
    rows.scrollToItem(rows.item(row))
    rect = rows.visualItemRect(rows.item(row))
    at = QPointF(rect.center().x(), rect.bottom() - 2 if below else rect.top() + 2)
    data = rows.mimeData(rows.selectedItems())
    event = QDropEvent(at, Qt.DropAction.MoveAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    rows.dropEvent(event)


def test_takes_are_dragged_into_an_order_that_is_kept(demo: MainWindow, tmp_path) -> None:
    before = listed(demo)
    assert before == [t.name for t in demo.session.project.takes]
    click(demo, 3)
    drop_on(demo, 0)
    assert listed(demo) == [before[3], *before[:3], *before[4:]]
    click(demo, 0)
    drop_on(demo, 3, below=True)
    assert listed(demo) == before
    click(demo, 0)
    click(demo, 1, Qt.KeyboardModifier.ControlModifier)
    drop_on(demo, 4)
    assert listed(demo)[:4] == [before[2], before[3], before[0], before[1]]
    store.save(demo.session.project, tmp_path / "p")
    assert [t.name for t in store.load(tmp_path / "p").takes] == listed(demo)
    demo.session.undo()
    assert listed(demo) == before


def test_folders(demo: MainWindow, monkeypatch, tmp_path) -> None:
    before = listed(demo)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Ropes", True))
    demo.clip_panel.new_folder([before[0], before[5]])
    assert listed(demo)[-3:] == ["[Ropes]", before[0], before[5]]
    store.save(demo.session.project, tmp_path / "p")
    assert store.load(tmp_path / "p").take(before[5]).folder == "Ropes"
    heading = listed(demo).index("[Ropes]")
    click(demo, 0)
    drop_on(demo, heading, below=True)
    assert listed(demo)[listed(demo).index("[Ropes]") + 1] == before[1]
    open_row = demo.session.take.name
    click(demo, listed(demo).index("[Ropes]"))
    folded = listed(demo)
    assert folded[-1] == "[Ropes]" or open_row in folded
    demo.clip_panel.search.setText(before[5][:8])
    assert before[5] in listed(demo)  # what is searched for is found in folded folders too
    demo.clip_panel.search.clear()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Lines", True))
    demo.clip_panel.rename_folder("Ropes")
    assert "[Lines]" in listed(demo)
    takes.rename_folder(demo.session, "Lines", "")
    assert not any(x.startswith("[") for x in listed(demo))


def test_the_open_take_is_always_in_sight(demo: MainWindow, qtbot) -> None:
    rows = demo.clip_panel.takes
    for name in (listed(demo)[-1], listed(demo)[0]):
        open_take(demo, qtbot, name)
        item = rows.item(listed(demo).index(name))
        assert rows.viewport().rect().contains(rows.visualItemRect(item).center())
    takes.put_into(demo.session, [listed(demo)[1]], "Hidden")
    name = listed(demo)[-1]
    click(demo, listed(demo).index("[Hidden]"))
    assert name not in listed(demo)
    open_take(demo, qtbot, name)
    assert name in listed(demo)


def test_several_are_removed_by_keyboard_without_a_question_and_come_back(demo: MainWindow) -> None:
    before = listed(demo)
    click(demo, 1)
    click(demo, 2, Qt.KeyboardModifier.ShiftModifier)
    assert demo.clip_panel.takes.chosen() == before[1:3]
    QTest.keyClick(demo.clip_panel.takes, Qt.Key.Key_Delete)
    assert listed(demo) == [before[0], *before[3:]]
    demo.session.undo()
    assert listed(demo) == before


def test_sections_fold(demo: MainWindow) -> None:
    library = demo.clip_panel
    tall = library.clips.height()
    library.takes_heading.click()
    assert not library.takes.isVisible() and library.clips.height() >= tall
    library.clips_heading.click()
    assert library.takes_heading.y() < 120
    library.takes_heading.click()
    assert library.takes.isVisible()


def test_the_small_picture_of_a_take_is_of_its_result(sharp, demo, qtbot) -> None:
    previews, name = demo.clip_panel.previews, "Walk, as the Ferrykeeper"
    take = demo.session.project.take(name)
    thing, source = Thing(take=name, folder=take.folder), Thing(source=take.source)

    def pictures() -> tuple[QImage | None, QImage | None]:
        return previews.image(thing), previews.image(source)

    qtbot.waitUntil(lambda: all(pictures()) and pictures()[0] != pictures()[1])
    repainted: list[object] = []
    previews.drawn.connect(repainted.append)
    previews.play(thing)
    previews.play(None)
    assert repainted == [thing], "what moved is painted anew, and nothing else"
