"""The Library view: a grid of clips with filters, hover previews, and what can be done with what is chosen."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEvent, QItemSelectionModel, QModelIndex, QObject, QPoint, QTimer, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from reflexa.desktop.library.big import BigPreview
from reflexa.desktop.library.cell import LibraryCell
from reflexa.desktop.library.filters import Filters
from reflexa.desktop.library.grid import Grid
from reflexa.desktop.library.model import LibraryModel
from reflexa.desktop.library.work import LibraryWork
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.desktop.widgets.search import search_field
from reflexa.library.finder import Row
from reflexa.library.folder_list import LibraryFolder
from reflexa.library.notes import Notes, shown_at
from reflexa.library.query import Query
from reflexa.session import Session
from reflexa.words import counted

_FRAME = 40
_HINT = (
    "A library folder is a folder of clips anywhere on this machine. Add one to preview, search and try its clips here. "
    "Nothing in it is ever changed."
)


class LibraryPanel(QWidget):
    """``add_wanted``: a library folder shall be added; ``take_wanted``: takes of the chosen clips; ``menu_wanted``: what can be
    done with them, at a place on the screen; ``fill_wanted``: the panel shall fill the window, or give it back;
    ``compare_wanted``: sources of the project, or what they came from, have changed. newer: sources whose files in the library
    are newer, and where these are."""

    add_wanted = Signal()
    take_wanted = Signal()
    menu_wanted = Signal(QPoint)
    fill_wanted = Signal()
    compare_wanted = Signal()
    chosen_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.work = LibraryWork(session.work, self)
        self.model = LibraryModel(self.work, self)
        self.near: Row | None = None
        self.newer: dict[str, Path] = {}
        self._compared: object = None
        self._answered: object = None
        self._big: BigPreview | None = None
        self._began = self._choosing = False
        self._lay_out()
        self._connect()
        self._timer = QTimer(self)
        self._timer.setInterval(_FRAME)
        self._timer.timeout.connect(self._on_time)
        self._hovered_at = 0.0
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self.ask)
        self._refresh()

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 6, 6, 6)
        column.setSpacing(5)
        row = QHBoxLayout()
        self.search = search_field("Search the library")
        self.filter_button = styled(
            QToolButton(),
            text="Filter",
            checkable=True,
            accessibleName="Filters",
            toolTip="Show or hide filters and order",
        )
        self.fill_button = styled(
            QToolButton(),
            text="⤢",
            accessibleName="Maximise",
            toolTip="Maximise the library, or restore it (F9)",
        )
        self.list_button = styled(
            QToolButton(),
            text="List",
            checkable=True,
            accessibleName="List",
            toolTip="Switch between list and grid",
        )
        for widget in (self.search, self.list_button, self.filter_button, self.fill_button):
            row.addWidget(widget)
        column.addLayout(row)
        self.filters = Filters(self.work)
        self.filters.setVisible(False)
        column.addWidget(self.filters)
        self.near_button = styled(QToolButton(), toolTip="Show everything again")
        self.near_button.setVisible(False)
        column.addWidget(self.near_button)
        self.cell = LibraryCell(self.model, self)
        self.grid = styled(Grid(self.model, self.cell), accessibleName="Clips in the library")
        self.grid.viewport().installEventFilter(self)
        column.addWidget(self.grid, 1)
        self.hint = labels.quiet(_HINT)
        column.addWidget(self.hint, 1)
        self.status = labels.quiet()
        self.bar = styled(QProgressBar(), textVisible=False, accessibleName="Scan of the library")
        self.bar.setFixedHeight(6)
        self.bar.setVisible(False)
        column.addWidget(self.status)
        column.addWidget(self.bar)
        low = QHBoxLayout()
        self.add_button = styled(
            QPushButton("Add library folder…"), toolTip="Show a folder of clips here; it is only read"
        )
        self.stop_button = styled(QPushButton("Stop"), toolTip="Stop the scan. Files read so far are kept.")
        self.stop_button.setVisible(False)
        self.take_button = QPushButton("Make take")
        for button in (self.add_button, self.stop_button, self.take_button):
            low.addWidget(button)
        column.addLayout(low)

    def _connect(self) -> None:
        self.search.textChanged.connect(lambda _: self._soon.start(0))
        self.filter_button.toggled.connect(self.filters.setVisible)
        self.list_button.toggled.connect(self.grid.show_rows)
        self.filters.changed.connect(self.ask)
        self.fill_button.clicked.connect(self.fill_wanted)
        self.near_button.clicked.connect(lambda: self.like(None))
        self.add_button.clicked.connect(self.add_wanted)
        self.stop_button.clicked.connect(self.work.stop_scan)
        self.take_button.clicked.connect(self.take_wanted)
        self.grid.activated.connect(lambda _: self.take_wanted.emit())
        self.grid.entered.connect(self._on_entered)
        self.grid.big_wanted.connect(self.show_big)
        self.grid.customContextMenuRequested.connect(self._menu)
        self.grid.selectionModel().selectionChanged.connect(lambda *_: self._on_chosen())
        self.work.changed.connect(self._on_changed)
        self.work.found.connect(self._show)
        self.work.told.connect(self._tell)
        self.session.take_changed.connect(self._on_take)
        self.session.project_changed.connect(self._on_project)
        self.work.changed.connect(self._on_project)
        self.session.evaluator.done.connect(self._on_take)

    # Looking for clips ------------------------------------------------------------------------------------------

    def begin(self) -> None:
        """Read the list of library folders and look through them, once."""
        if not self._began:
            self._began = True
            self.work.start()

    def showEvent(self, event: QEvent) -> None:
        self.begin()
        self._on_take()

    @property
    def query(self) -> Query:
        """What is asked for."""
        return self.filters.query(self.search.text())

    def ask(self) -> None:
        """Look for what is asked for."""
        count = self.query.filters
        self.filter_button.setText(f"Filter · {count}" if count else "Filter")
        self.work.search(self.query, (self.near.path, self.near.clip) if self.near is not None else None)

    def like(self, row: Row | None) -> None:
        """Show what moves like a clip, the nearest first; None: everything again."""
        self.near = row
        self.near_button.setVisible(row is not None)
        if row is not None:
            self.near_button.setText(f"Like {row.clip}  ✕")
        self.filters.order.setEnabled(row is None)
        self.filters.order.setToolTip("Order" if row is None else f"Most similar to {row.clip} first")
        self.ask()

    def show_query(self, query: Query) -> None:
        """Ask a kept question."""
        self.search.setText(query.text)
        self.filters.show_query(query)
        self.like(None)

    def choose_what_comes(self) -> None:
        """Choose everything that the question that is under way finds."""
        self._choosing = True

    def _show(self, ids: list[int]) -> None:
        if ids == self.model.ids:
            self.model.forget()
        else:
            kept, at = set(self._chosen_ids()), self.grid.verticalScrollBar().value()
            same, self._answered = self._answered == (self.query, self.near), (self.query, self.near)
            self.model.show(ids)
            self._choose(kept)
            if same:  # more of the same: what is looked at stays where it is
                self.grid.doItemsLayout()
                self.grid.verticalScrollBar().setValue(at)
        if self._choosing:
            self._choosing = False
            self.grid.selectAll()
        self._refresh()

    def _choose(self, ids: set[int]) -> None:
        model = self.grid.selectionModel()
        for at, id_ in enumerate(self.model.ids):
            if id_ in ids:
                model.select(self.model.index(at), QItemSelectionModel.SelectionFlag.Select)

    def _on_changed(self) -> None:
        self.filters.refresh()
        self.ask()

    def _on_project(self) -> None:
        """What came from library folders is compared with them, where either is another than it was."""
        came = tuple((s.file, s.digest) for s in self.session.project.sources if s.library_folder)
        now = (came, self.work.scans, self.work.folders.folders)
        if came and now != self._compared:
            self._compared = now
            self.compare_wanted.emit()

    def _on_take(self) -> None:
        if self.isVisible() and self.work.set_target(self.session.source_rig):
            self.ask()

    # What is said of it -----------------------------------------------------------------------------------------

    def _tell(self, text: str, part: float) -> None:
        self.bar.setVisible(bool(text))
        self.stop_button.setVisible(bool(text))
        self.bar.setValue(round(100 * part))
        if text:
            self.status.setText(text)
        else:
            self._refresh()

    def _refresh(self) -> None:
        some = bool(self.work.folders.folders)
        self.grid.setVisible(some)
        self.hint.setVisible(not some)
        count = len(self.model.ids)
        said = [counted(count, "clip")]
        if bad := self.work.last.bad:
            said.append("1 file cannot be read" if bad == 1 else f"{bad} files cannot be read")
        said += [f"{name} is not available now" for name in self.work.last.away]
        said += [f"{p.name}: {why}" for p, why in list(self.work.last.unreadable.items())[:2]]
        if self.work.problem:
            said = [self.work.problem]
        if self.work.problem or not self.work.scanning:
            self.status.setText(" · ".join(said) if some or self.work.problem else "")
            self.status.setToolTip(self.work.problem)
            labels.say(self.status, "warn" if self.work.problem else "quiet")
        self._on_chosen()

    def _on_chosen(self) -> None:
        count = self.count
        self.take_button.setEnabled(count > 0)
        self.take_button.setText(f"Make {count} takes" if count > 1 else "Make take")
        self.take_button.setToolTip(
            "Import the selected clips and make takes of them" if count else "Select clips first"
        )
        self.chosen_changed.emit()

    def refresh_icons(self) -> None:
        """In the colours of the theme."""
        self.grid.viewport().update()

    # What is chosen ---------------------------------------------------------------------------------------------

    def _chosen_rows(self) -> list[int]:
        """Where they stand; files that cannot be read (their ids are below 0) are no clips."""
        ids = self.model.ids
        rows = sorted(i.row() for i in self.grid.selectionModel().selectedIndexes())
        return [r for r in rows if r < len(ids) and ids[r] > 0]

    def _chosen_ids(self) -> list[int]:
        return [self.model.ids[r] for r in self._chosen_rows()]

    @property
    def count(self) -> int:
        """How many clips are selected: asked at every turn, so the index is not."""
        return len(self._chosen_rows())

    def chosen(self) -> list[Row]:
        """The clips that are selected, in their order."""
        return [row for r in self._chosen_rows() if (row := self.model.row(r)) is not None]

    def keys(self) -> dict[LibraryFolder, list[str]]:
        """The chosen clips as their library folders know them."""
        out: dict[LibraryFolder, list[str]] = {}
        for row in self.chosen():
            library_folder = self.work.folders.of(row.path)
            if library_folder is not None:
                out.setdefault(library_folder, []).append(row.key)
        return out

    def say(self, what: str, edit: Callable[[Notes, list[str]], Notes]) -> None:
        """Change what is said of the chosen clips. what: the change in words, ``{}`` standing for them."""
        count = self.count
        self.work.say(what.format(counted(count, "clip")), self.keys(), edit)

    def _menu(self, at: QPoint) -> None:
        self.menu_wanted.emit(self.grid.viewport().mapToGlobal(at))

    # Playing ----------------------------------------------------------------------------------------------------

    def _on_entered(self, index: QModelIndex) -> None:
        row = self.model.row(index.row())
        self._play(row.id if row is not None and row.frames > 1 else -1)

    def _play(self, id_: int) -> None:
        if id_ != self.cell.playing:
            self.cell.playing, self.cell.seconds = id_, 0.0
            self._hovered_at = time.monotonic()
            (self._timer.start if id_ > 0 else self._timer.stop)()
            self.grid.viewport().update()

    def _on_time(self) -> None:
        self.cell.seconds = time.monotonic() - self._hovered_at
        if self.cell.playing in self.model.ids:
            index = self.model.index(self.model.ids.index(self.cell.playing))
            self.grid.viewport().update(self.grid.visualRect(index))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Leave:
            self._play(-1)
        return False

    def show_big(self) -> None:
        """Show the current clip large."""
        index = self.grid.currentIndex()
        row = self.model.row(index.row()) if index.isValid() else None
        if row is None:
            return
        if self._big is None:
            self._big = BigPreview(self.model, self)
            self._big.frame_chosen.connect(self._choose_frame)
            self._big.take_wanted.connect(self.take_wanted)
            self._big.step_wanted.connect(self._step_big)
        self._big.show_row(row)
        self._big.show()
        self._big.raise_()

    @property
    def big(self) -> BigPreview | None:
        """The large preview, once there was one."""
        return self._big

    def _step_big(self, by: int) -> None:
        at = self.grid.currentIndex().row() + by
        if 0 <= at < len(self.model.ids):
            self.grid.setCurrentIndex(self.model.index(at))
            self.show_big()

    def _choose_frame(self, frame: int | None) -> None:
        row = self.model.row(self.grid.currentIndex().row())
        library_folder = self.work.folders.of(row.path) if row is not None else None
        if row is not None and library_folder is not None:
            label = f"the picture of {row.clip}"
            self.work.say(label, {library_folder: [row.key]}, lambda notes, keys: shown_at(notes, keys[0], frame))
