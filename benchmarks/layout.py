"""``python -m benchmarks.layout``: what of the window is in sight, over all states of the demo project: how large the picture is,
how many takes and joints are seen at once, how much of a panel hides below its edge, which texts end in dots."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QEventLoop, QPoint, QRect, Qt
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QLabel,
    QListView,
    QScrollArea,
    QTreeWidget,
    QWidget,
)  # fmt: skip

from reflexa.desktop.app import make_app
from reflexa.desktop.qt_loop import QtLoop
from reflexa.desktop.window import MainWindow
from reflexa.session import RESULT, SOURCE, Session
from reflexa.session.sources import demo_copy

SIZES = ((1280, 800), (1920, 1080))


@dataclass
class Seen:
    """What was measured at one size of the window: smallest picture, fewest takes and joints in sight; by state, the largest
    hidden share of a panel, and elided texts."""

    picture: tuple[int, int] = (9999, 9999)
    takes: int = 999
    joints: int = 999
    hidden: dict[str, float] = field(default_factory=dict)
    elided: dict[str, list[str]] = field(default_factory=dict)
    no_tip: list[str] = field(default_factory=list)

    @property
    def count(self) -> int:
        return sum(map(len, self.elided.values()))


def elided(root: QWidget) -> Iterator[tuple[str, str]]:
    """Every text below a widget that is seen and does not fit its place, and its tool tip."""
    for w in root.findChildren(QWidget):
        if not w.isVisible() or w.visibleRegion().isEmpty():
            continue
        m = QFontMetrics(w.font())
        if isinstance(w, QLabel) and w.text() and not w.wordWrap() and "<" not in w.text():
            if m.horizontalAdvance(w.text()) > w.contentsRect().width() + 1 or _dotted(w.text()):
                yield w.text(), w.toolTip()
        elif isinstance(w, QComboBox):
            if m.horizontalAdvance(w.currentText()) > w.width() - 22:
                yield w.currentText(), w.toolTip()
        elif isinstance(w, QAbstractButton) and w.text():
            if m.horizontalAdvance(w.text().replace("&", "")) > w.width():
                yield w.text(), w.toolTip()
        elif isinstance(w, QAbstractItemView):
            yield from _items(w, m)


def _dotted(text: str) -> bool:
    return (
        text.endswith("…")
        and len(text) > 1
        and not text[:-1].endswith((" ", "…"))
        and "\n" not in text
        and len(text) > 24
    )


def _items(view: QAbstractItemView, m: QFontMetrics) -> Iterator[tuple[str, str]]:
    model, seen = view.model(), view.viewport().rect()
    delegate = view.itemDelegate()
    told = getattr(delegate, "elided", None)
    at = view.indexAt(QPoint(2, 2))
    if model is None:
        return
    rows = [at]
    y = 2
    while y < seen.height():
        found = view.indexAt(QPoint(4, y))
        if found.isValid() and found != rows[-1]:
            rows.append(found)
        y += 8
    for row in rows:
        if not row.isValid():
            continue
        columns = 1 if isinstance(view, QListView) else model.columnCount(row.parent())
        for column in range(columns):
            index = row.sibling(row.row(), column)
            rect: QRect = view.visualRect(index)
            text = index.data(Qt.ItemDataRole.DisplayRole)
            tip = str(index.data(Qt.ItemDataRole.ToolTipRole) or view.toolTip())
            if told is not None:
                yield from ((t, tip) for t in told(index, rect))
            elif isinstance(text, str) and text and rect.intersects(seen):
                icon = 22 if index.data(Qt.ItemDataRole.DecorationRole) else 0
                check = 20 if index.data(Qt.ItemDataRole.CheckStateRole) is not None else 0
                if m.horizontalAdvance(text) > rect.width() - 6 - icon - check:
                    yield text, tip


def rows_in_sight(view: QAbstractItemView) -> int:
    """How many rows are seen whole."""
    height, rows, y = view.viewport().height(), set[tuple[int, int]](), 2
    while y < height:
        rect = view.visualRect(view.indexAt(QPoint(view.viewport().width() // 2, y)))
        if rect.isValid() and rect.top() >= -1 and rect.bottom() <= height + 1:
            rows.add((rect.top(), rect.bottom()))
        y += 6
    return len(rows)


def hidden_share(root: QWidget) -> float:
    """The largest share of a scrolled panel that is below its edge."""
    worst = 0.0
    for area in root.findChildren(QScrollArea):
        inner = area.widget()
        if area.isVisible() and inner is not None and inner.height() > 40 and area.objectName() != "line":
            worst = max(worst, 1 - area.viewport().height() / max(inner.height(), 1))
    return worst


def measure(window: MainWindow, run: Callable[..., None], seen: Seen, state: str) -> None:
    """Take down what is seen in a state."""
    v = window.viewport
    seen.picture = min(seen.picture[0], v.width()), min(seen.picture[1], v.height())
    found = list(elided(window))
    if found:
        seen.elided[state] = [t for t, _ in found]
        seen.no_tip += [f"{state}: {t}" for t, tip in found if not tip]
    share = hidden_share(window.settings)
    if share > 0:
        seen.hidden[state] = share


def over_all(window: MainWindow, run: Callable[..., None]) -> Seen:
    """Every take with each of its steps, source and result; every view on the left; every page of the time area."""
    seen, session = Seen(), window.session

    def ready() -> bool:
        return (
            session.computed.evaluation is not None
            and session.computed.evaluation.take is session.take
            and not session.work.busy
        )

    for take in session.project.takes:
        session.open_take(take.name)
        run(20, ready)
        step = take.steps[0].id if take.steps else RESULT
        session.selection.select_card(step)
        run(0.15)
        measure(window, run, seen, take.name)
    seen.takes = rows_in_sight(window.clip_panel.takes)
    session.open_take("Haul, port side")
    run(20, ready)
    for card in (SOURCE, RESULT):
        session.selection.select_card(card)
        run(0.15)
        measure(window, run, seen, f"card {card}")
    for i in range(window.tabs.count()):
        window.tabs.setCurrentIndex(i)
        run(0.3)
        measure(window, run, seen, f"view {window.tabs.tabText(i)}")
        trees = [t for t in window.tabs.currentWidget().findChildren(QTreeWidget) if t.isVisible()]
        if trees and window.tabs.currentWidget() is window.figure:
            seen.joints = rows_in_sight(trees[0])
    window.tabs.setCurrentIndex(0)
    for i in range(window.time_area.page.count()):
        window.time_area.show_page(window.time_area.page.itemData(i))
        run(0.2)
        measure(window, run, seen, f"page {window.time_area.page.itemText(i)}")
    window.time_area.show_page("")
    return seen


def measured(sizes: tuple[tuple[int, int], ...] = SIZES) -> dict[tuple[int, int], Seen]:
    """The figures at each size of the window."""
    app = QApplication.instance() or make_app()
    window = MainWindow(Session(QtLoop()))

    def run(seconds: float, until: Callable[[], bool] | None = None) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not (until is not None and until()):
            app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 10)
            time.sleep(0.002)

    window.session.load(demo_copy())
    window.show()
    out = {}
    for size in sizes:
        window.resize(*size)
        run(0.5)
        out[size] = over_all(window, run)
    window.session.history.saved(window.session.project)
    window.close()
    return out


def main() -> None:
    """Print it all."""
    for (w, h), seen in measured().items():
        print(f"\nThe window at {w}x{h}")
        print(f"  picture, the smallest          {seen.picture[0]} x {seen.picture[1]}   (goal at 1280x800: 700 x 480)")
        print(f"  takes in sight                 {seen.takes}   (goal: 8)")
        print(f"  joints in sight                {seen.joints}   (goal: 18)")
        worst = sorted(seen.hidden.items(), key=lambda kv: -kv[1])[:5]
        print(f"  panel hidden below its edge    {', '.join(f'{k} {100 * v:.0f} %' for k, v in worst)}   (goal: 25 %)")
        print(
            f"  texts that end in dots         {seen.count} in {len(seen.elided)} states (goal: 40 at 1280, 10 at 1920)"
        )
        print(f"  of them without a tool tip     {len(seen.no_tip)}")
        if "-v" in sys.argv:
            for state, texts in seen.elided.items():
                print(f"    {state}: {texts}")


if __name__ == "__main__":
    main()
