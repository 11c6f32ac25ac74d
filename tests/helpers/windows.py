"""The window in tests: waiting for it, and finding one's way in it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QDialog, QTreeWidgetItem, QWidget

from reflexa.desktop.actions import files
from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.line.card import StepCard
from reflexa.desktop.settings.findings_tree import FindingsTree
from reflexa.desktop.window import MainWindow
from reflexa.session import takes
from reflexa.take import Source
from tests.helpers.files import DATA
from tests.helpers.hands import drop


def ready(qtbot, window: MainWindow) -> None:
    """Wait until what is shown is what was asked for."""
    session = window.session

    def is_ready() -> bool:
        line = session.computed.evaluation
        return not session.dragging and not session.work.busy and line is not None and line.take == session.take

    qtbot.waitUntil(is_ready)
    window.activateWindow()
    assert QTest.qWaitForWindowActive(window, 60_000)
    QApplication.processEvents()


def idle(qtbot, window: MainWindow) -> None:
    """Wait until nothing is under way."""
    qtbot.waitUntil(lambda: not window.session.work.busy)


def dialog_of(qtbot, window: MainWindow, kind: type[QDialog]) -> QDialog:
    """The dialog of a kind, as soon as it is open."""
    qtbot.waitUntil(lambda: isinstance(window.desk.dialog, kind) and window.desk.dialog.isVisible())
    return window.desk.dialog


def open_take(window: MainWindow, qtbot, name: str) -> None:
    """Open a take and wait for it."""
    window.session.open_take(name)
    ready(qtbot, window)


def new_take(window: MainWindow, qtbot, file: str, clip: str) -> None:
    """A take of a clip, without steps."""
    takes.make(window.session, [Source(file, clip)])
    ready(qtbot, window)


def import_walk(window: MainWindow, qtbot) -> None:
    """Drop a walk on the window, and make a take of it."""
    from reflexa.desktop.dialogs.import_report import ImportReport

    drop(window, DATA / "humanoid3d_walk.bvh")
    report = dialog_of(qtbot, window, ImportReport)
    text = report.text.toPlainText()
    assert "13 joints" in text and "facing +X" in text and "39 frames" in text
    report.accept()
    ready(qtbot, window)


def card(window: MainWindow, index: int) -> StepCard:
    """The card of a step by its place on the line."""
    return list(window.revision_line.steps.values())[index]


def select_step(window: MainWindow, index: int) -> None:
    """Select a step by its place on the line."""
    window.session.selection.select_card(window.session.take.steps[index].id)


def step_id(window: MainWindow, index: int) -> str:
    """The id of a step by its place on the line."""
    return window.session.take.steps[index].id


def joint_pixel(window: MainWindow, name: str) -> QPoint:
    """Where a joint is in the picture."""
    view = window.viewport
    f = next(f for f in view.figures() if name in f.rig.skeleton.index)
    return pixel(window, f.placed[f.rig.skeleton.index[name]])


def pixel(window: MainWindow, place) -> QPoint:
    """Where a place ``(3,)`` is in the picture."""
    at = window.viewport.seen.sight.project(place)
    return QPoint(round(float(at[0])), round(float(at[1])))


def undo_until(qtbot, window: MainWindow, done: Callable[[], bool]) -> None:
    """Undo step by step until something holds."""
    while not done():
        assert window.session.history.undo_label, "there was nothing more to undo"
        window.session.undo()
    ready(qtbot, window)


def saved(window: MainWindow) -> dict[str, bytes]:
    """Every text of the project as it is saved."""
    files.save(window.desk)
    return {p.name: p.read_bytes() for p in window.session.folder.rglob("*.json")}


def tree_item(window: MainWindow, joint: str) -> QTreeWidgetItem:
    """The row of a joint in the figure's tree."""
    (item,) = window.figure.tree.findItems(joint, Qt.MatchFlag.MatchExactly | Qt.MatchFlag.MatchRecursive)
    return item


def painted(widget: QWidget) -> NDArray[np.int16]:
    """What a widget looks like ``(height, width, 3)``."""
    image = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(np.int16)


def share_of(picture: NDArray[np.int16], colour: QColor, near: int = 12) -> float:
    """Which share of a picture has a colour, more or less."""
    wanted = np.array([colour.red(), colour.green(), colour.blue()])
    return float((np.abs(picture - wanted).max(axis=-1) <= near).mean())


def finding_texts(window: MainWindow) -> list[str]:
    """What the rows of findings say when one hovers over them."""
    tree = window.settings.findChild(FindingsTree)
    return [tree.topLevelItem(i).toolTip(0) for i in range(tree.topLevelItemCount())]


def answers(monkeypatch, *wanted: str) -> list[str]:
    """Give answers to what the window asks, one after the other; what was asked."""
    asked, left = [], list(wanted)

    def ask(_desk, _title: str, text: str, *given: str) -> int:
        asked.append(text)
        return given.index(left.pop(0))

    monkeypatch.setattr(Desk, "ask", ask)
    return asked
