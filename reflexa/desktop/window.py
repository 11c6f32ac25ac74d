"""The main window: the rooms around the figure, and the commands that tie them to the session."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PySide6.QtCore import QEvent, QSettings, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QFrame, QLabel, QMainWindow, QSplitter, QTabWidget, QVBoxLayout, QWidget

from reflexa.desktop.actions import context, dropped, files, library, opening, recipes, relink, view
from reflexa.desktop.actions.desk import Desk
from reflexa.desktop.actions.menus import commands_for
from reflexa.desktop.clips.panel import ClipsPanel
from reflexa.desktop.dialogs.differences import Differences
from reflexa.desktop.figure.panel import FigurePanel
from reflexa.desktop.focus_return import FocusReturn
from reflexa.desktop.library.panel import LibraryPanel
from reflexa.desktop.line.line import RevisionLine
from reflexa.desktop.look import theme
from reflexa.desktop.maximise import Maximise
from reflexa.desktop.picture.viewport import Viewport
from reflexa.desktop.settings.panel import SettingsPanel
from reflexa.desktop.splitter_sizes import SplitterSizes
from reflexa.desktop.stage.panel import StagePanel
from reflexa.desktop.time.area import TimeArea
from reflexa.desktop.widgets.qt_properties import named
from reflexa.motion.compare import compare
from reflexa.session import Session
from reflexa.session.keeper import Keeper
from reflexa.take import Source
from reflexa.take.clips import TAKE

# What can be done is looked up so many milliseconds after something was done: behind the picture of it.
_SOON = 20


class MainWindow(QMainWindow):
    """Open something with ``session.load`` or ``start_empty``."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        theme.dress(self)
        self.session = session
        self.revision_line = RevisionLine(session)
        self.viewport = Viewport(session)
        self.clip_panel = ClipsPanel(session)
        self.figure = FigurePanel(session)
        self.stage = StagePanel(session)
        self.library = LibraryPanel(session)
        self.settings = SettingsPanel(session)
        self.time_area = TimeArea(session)
        self.tabs = QTabWidget()
        self._lay_out()
        self.desk = Desk(
            session, self, self.revision_line, self.viewport, self.clip_panel, self.figure, self.stage, self.settings,
            self.time_area, self.tabs, self.library, Keeper(session), self._filling().fill, self.heights,
        )  # fmt: skip
        self.commands = commands_for(self.desk)
        self.commands.fill_menu_bar()
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._connect()
        self._refresh()
        self.commands.refresh()

    def _connect(self) -> None:
        session, run = self.session, self.commands.run
        # Much is told at once where one thing is done: what can be done then is asked once.
        self._soon = QTimer(self, singleShot=True, interval=_SOON)
        self._soon.timeout.connect(self.commands.refresh)
        self._focus_return = FocusReturn(self, self.viewport, (self.time_area,))
        self.revision_line.export_wanted.connect(lambda: run("export"))
        self.settings.export_wanted.connect(lambda: run("export"))
        for signal in (self.settings.fix_wanted, self.time_area.findings_page.fix_all_wanted):
            signal.connect(lambda: run("fix_all"))
        self.tabs.currentChanged.connect(self._on_tab)
        self.clip_panel.import_wanted.connect(lambda: run("import"))
        self.clip_panel.compare_wanted.connect(self.compare_with)
        for signal in (self.clip_panel.file_wanted, self.settings.file_wanted):
            signal.connect(lambda file: relink.find_file(self.desk, file))
        self.settings.file_chosen.connect(lambda file, path: relink.relink(self.desk, file, path))
        self.clip_panel.removal_wanted.connect(lambda file: relink.remove(self.desk, file))
        self.clip_panel.numbers_wanted.connect(self.compare_in_numbers)
        self.figure.menu_wanted.connect(lambda button: context.show_rig_menu(self.desk, self.commands, button))
        self.viewport.menu_wanted.connect(lambda at: context.show_picture_menu(self.desk, self.commands, at))
        library.connect(self.desk)
        recipes.connect(self.desk)
        context.connect(self.desk, self.commands)
        self.time_area.content_changed.connect(self.heights.fit)
        session.incoming.connect(self._bring_in)  # no lambda: the session would hold on to the window
        session.said.connect(self.desk.say)
        self.desk.keeper.changed_on_disk.connect(lambda names: opening.on_changed(self.desk, names))
        session.failed.connect(self.desk.show_error)
        told: tuple[Any, ...] = (
            session.history.saved_changed, session.project_changed, session.take_changed, session.selection.changed,
            session.selection.looked, session.player.changed, session.evaluator.done, session.evaluator.found,
            self.clip_panel.clips.itemSelectionChanged, self.clip_panel.recipes.itemSelectionChanged, self.library.chosen_changed,
        )  # fmt: skip
        for changed in told:
            changed.connect(self._refresh)

    # Layout -----------------------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self.tabs.setDocumentMode(True)
        self.tabs.tabBar().setDrawBase(False)
        for room, title in (
            (self.clip_panel, "Clips"),
            (self.figure, "Figure"),
            (self.stage, "Stage"),
            (self.library, "Library"),
        ):
            self.tabs.addTab(room, title)
        self.middle = _split(Qt.Orientation.Horizontal, ((_framed(self.viewport, 1), 6, 742), (self.settings, 1, 276)))
        self.down = _split(Qt.Orientation.Vertical, ((self.middle, 1, 478), (self.time_area, 0, 182)))
        self.heights = SplitterSizes(self.down, self.time_area)
        self.right = QWidget()
        column = QVBoxLayout(self.right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.revision_line)
        column.addWidget(self.down, 1)
        self.across = _split(Qt.Orientation.Horizontal, ((_framed(self.tabs, 4), 1, 270), (self.right, 7, 1010)))
        self.across.setContentsMargins(6, 0, 6, 2)
        self.setCentralWidget(self.across)
        self.project_label = QLabel()
        self.project_label.setContentsMargins(0, 0, 10, 0)
        self.statusBar().addPermanentWidget(self.project_label)
        self.statusBar().setSizeGripEnabled(False)

    def _filling(self) -> Maximise:
        left, picture = self.across.widget(0), self.middle.widget(0)
        assert left is not None and picture is not None
        around: tuple[QWidget, ...] = (left, self.revision_line)
        others = {
            left: (self.right,),
            picture: (*around, self.settings, self.time_area),
            self.settings: (*around, picture, self.time_area),
            self.time_area: (*around, self.middle),
        }
        return Maximise(others, (self.across, self.middle, self.down))

    def _on_tab(self) -> None:
        """Who looks at joints wants to see them all."""
        self.viewport.set_look(all_marks=self.tabs.currentWidget() is self.figure)

    def restore_layout(self) -> None:
        """Sizes as they were when the window was last closed."""
        settings = QSettings()
        for key, restore in (
            ("geometry", self.restoreGeometry), ("left", self.across.restoreState), ("middle", self.middle.restoreState),
            ("below", self.down.restoreState),
        ):  # fmt: skip
            value = settings.value(key)
            if value is not None:
                restore(value)
        view.restore(self.desk)

    def _refresh(self) -> None:
        session = self.session
        unsaved = session.history.unsaved
        self.setWindowTitle(f"{session.project.name}{' •' if unsaved else ''} – Reflexa")
        place = str(session.folder) if session.sources.placed else "not saved yet"
        left = len(session.sources.waiting)
        reading = f"reading sources: {left} left  ·  " if left else ""
        self.project_label.setText(f"{reading}{place}{'  ·  unsaved changes' if unsaved else ''}")
        self._soon.start()

    # What rooms ask for -----------------------------------------------------------------------------------------

    def start_empty(self) -> None:
        """Begin with a new project."""
        opening.start_empty(self.desk)

    def compare_with(self, take: str) -> None:
        """Take another take's result for the figure before (an empty text: the source again)."""
        self.session.evaluator.compare_with(take, self.session.clips)
        if take and self.viewport.look.compare == "After":
            self.viewport.set_compare("Side by side")

    def compare_in_numbers(self, take: str) -> None:
        """Say joint by joint how the open take differs from another one (an empty text: from its source)."""
        session, clips = self.session, self.session.clips
        line = session.computed.evaluation
        if line is None:
            return
        other = self.desk.wait(
            "Comparing", lambda _: compare(line.result, clips[f"{TAKE}{take}"][0] if take else line.clips[0])
        )
        if other is not None:
            self.desk.show(Differences(session, (session.selection.take, take or "the source"), other, self))

    def _bring_in(self, picks: list[tuple[Path, str]], then: Callable[[list[Source]], object]) -> None:
        library.bring_in(self.desk, picks, then)

    # Keys that are held, files that are dropped, leaving --------------------------------------------------------

    def event(self, event: QEvent) -> bool:
        if event.type() == QEvent.Type.ShortcutOverride and self._soon.isActive():
            self._soon.stop()
            self.commands.refresh()  # a key may come before what it does is known to be possible
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        session = self.session
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.viewport.hold_before(True, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self.commands.run("play")  # whatever has the focus, and does nothing with it
        elif event.key() == Qt.Key.Key_Escape and session.selection.waiting is not None:
            session.selection.wait_for(None)
        elif event.key() == Qt.Key.Key_Escape and session.evaluator.stop():
            self.desk.say("Stopped. The picture shows the last result.")
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_B and not event.isAutoRepeat():
            self.viewport.hold_before(False)
        else:
            super().keyReleaseEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped.welcome(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        dropped.take(self.desk, event.mimeData())

    def closeEvent(self, event: QCloseEvent) -> None:
        if not files.may_leave(self.desk):
            event.ignore()
            return
        settings = QSettings()
        settings.setValue("geometry", self.saveGeometry())
        self.right.setVisible(True)
        for key, splitter in (("left", self.across), ("middle", self.middle), ("below", self.down)):
            settings.setValue(key, splitter.saveState())
        view.remember(self.desk)
        self.session.player.pause()
        self.session.work.end()
        self.library.work.close()
        self.desk.keeper.let_go(leaving=True)
        event.accept()


def _split(way: Qt.Orientation, rooms: tuple[tuple[QWidget, int, int], ...]) -> QSplitter:
    """Rooms side by side or one below the other, each with its stretch and size."""
    out = QSplitter(way)
    out.setHandleWidth(6)
    for i, (room, stretch, _) in enumerate(rooms):
        out.addWidget(room)
        out.setStretchFactor(i, stretch)
    out.setSizes([size for _, _, size in rooms])
    return out


def _framed(widget: QWidget, margin: int) -> QFrame:
    frame = named(QFrame(), "panel")
    column = QVBoxLayout(frame)
    column.setContentsMargins(margin, margin, margin, margin)
    column.addWidget(widget)
    return frame
