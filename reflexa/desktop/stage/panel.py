"""The stage: its props, the fields of the selected one, and stage files."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from reflexa.desktop.stage.carried_fields import CarriedFields
from reflexa.desktop.stage.fields import PropFields
from reflexa.desktop.stage.grip_fields import GripFields
from reflexa.desktop.stage.shape_fields import KeyFields, ShapeFields
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.where import ask_where
from reflexa.errors import ReflexaError
from reflexa.formats import with_meshes
from reflexa.formats.files import write_bytes
from reflexa.formats.text import pretty
from reflexa.names import free_name
from reflexa.session import Session, props
from reflexa.session.work import Job
from reflexa.stage import Prop, Stage
from reflexa.stage.presets import PRESETS
from reflexa.stage.store import SUFFIX, document, read_stage


class StagePanel(QWidget):
    """A list of props over the fields of the selected one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 6, 2, 2)
        column.addLayout(self._buttons())
        self.list = QListWidget()
        self.list.setAccessibleName("Props")
        self.list.itemSelectionChanged.connect(self._picked)
        column.addWidget(self.list)
        self.empty = labels.quiet(
            "The stage is empty. Add what feet stand on and hands hold: feet are locked to it, and hands can "
            "reach its grips. It is never exported with the clip."
        )
        column.addWidget(self.empty)
        self._area = QScrollArea()
        self._area.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # what is in it has the focus
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self._area, 1)
        self._shape: object = None
        self._fields: list[PropFields] = []
        for signal in (session.take_changed, session.selection.changed, session.evaluator.done):
            signal.connect(self.refresh)
        session.player.moved.connect(self._on_playhead)
        self.refresh()

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.put = QPushButton("Add a prop")
        menu = QMenu(self)
        for name, make in PRESETS.items():
            menu.addAction(name.capitalize(), partial(self._put, make))
        self.put.setMenu(menu)
        self.file = QPushButton("Stage file")
        files = QMenu(self)
        files.addAction("Add from a file…", self.open_dialog)
        files.addAction("Save the stage as a file…", self.save_dialog)
        takes = files.addMenu("Copy the stage of")
        takes.aboutToShow.connect(lambda: self._fill_takes(takes))
        self.file.setMenu(files)
        row.addWidget(self.put, 1)
        row.addWidget(self.file)
        return row

    def _put(self, make: Callable[[], Prop]) -> None:
        props.put(self.session, make())

    @property
    def prop(self) -> Prop | None:
        """The selected prop."""
        return self.session.stage.prop(self.session.selection.prop)

    def _on_playhead(self) -> None:
        if not self.session.player.playing:
            for fields in self._fields:
                fields.refresh()

    def refresh(self) -> None:
        """Bring list and fields up to date."""
        session, open_ = self.session, self.session.take is not None
        for box in (self.put, self.file):
            box.setEnabled(open_)
            box.setToolTip("" if open_ else "No take is open: a stage belongs to a take")
        self._list(session.stage)
        prop, clip = self.prop, session.computed.shown
        events = tuple(e.name for e in clip.events) if clip else ()
        counted = prop and (prop.name, prop.shape, len(prop.grips), prop.holds, bool(prop.keys))
        shape = counted, events, session.computed.rig and session.computed.rig.key
        if shape != self._shape:
            self._shape = shape
            self._area.setWidget(self._page(prop))
        for fields in self._fields:
            fields.refresh()

    def _list(self, stage: Stage) -> None:
        names, selected = [p.name for p in stage.props], self.session.selection.prop
        self.empty.setVisible(not names)
        self.list.setVisible(bool(names))
        self.list.blockSignals(True)
        if [self.list.item(i).text() for i in range(self.list.count())] != names:
            self.list.clear()
            for p in stage.props:
                item = QListWidgetItem(p.name)
                w, h, d = p.size
                item.setToolTip(f"{p.shape}, {w:.2f} × {h:.2f} × {d:.2f} m")
                self.list.addItem(item)
        self.list.setFixedHeight(min(max(len(names), 1), 6) * 22 + 6)
        self.list.setCurrentRow(names.index(selected) if selected in names else -1)
        self.list.blockSignals(False)

    def _picked(self) -> None:
        item = self.list.currentItem()
        self.session.selection.select_prop(item.text() if item is not None else "")

    def _page(self, prop: Prop | None) -> QWidget:
        page = QWidget()
        self._fields = []
        if prop is None:
            return page
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 6, 0, 6)
        self._fields = [make(self.session, prop) for make in (ShapeFields, GripFields, KeyFields, CarriedFields)]
        for fields in self._fields:
            column.addWidget(fields)
        away = QPushButton("Remove it")
        away.clicked.connect(lambda: props.remove(self.session))
        column.addWidget(away)
        column.addStretch(1)
        return page

    # Files ------------------------------------------------------------------------------------------------------

    def _fill_takes(self, menu: QMenu) -> None:
        menu.clear()
        takes = [t for t in self.session.project.takes if t.stage.props and t.name != self.session.selection.take]
        for take in takes:
            label = f"copy the stage of {take.name}"
            menu.addAction(take.name, partial(props.edit_stage, self.session, label, take.stage))
        if not takes:
            menu.addAction("No other take has a stage").setEnabled(False)

    def open_dialog(self) -> None:
        """Ask for a stage or mesh to be added."""
        kinds = " ".join(f"*{s}" for s in (SUFFIX, *(s for f in with_meshes() for s in f.suffixes)))
        chosen, _ = QFileDialog.getOpenFileName(self, "Add to the stage", "", f"Stages and meshes ({kinds})")
        if chosen:
            self.open_file(Path(chosen))

    def open_file(self, path: Path) -> None:
        """Add a file's props to the stage of the take that is open now; names that are taken get a number."""
        session, name = self.session, self.session.selection.take
        job = Job(lambda _: read_stage(path), lambda found: self._add(found, path))
        job.lands = lambda: session.selection.take == name
        session.work.start(job)

    def _add(self, found: Stage, path: Path) -> None:
        stage = self.session.stage
        for p in found.props:
            free = free_name(p.name, {q.name for q in stage.props})
            stage = Stage((*stage.props, replace(p, name=free)))
        props.edit_stage(self.session, f"add {path.name}", stage)
        if found.props:
            self.session.selection.select_prop(stage.props[-1].name)

    def save_dialog(self) -> None:
        """Ask where the stage is to be written."""
        path = ask_where(self, "Save the stage", "landing", SUFFIX)
        if path is not None:
            self.save_file(path)

    def save_file(self, path: Path) -> None:
        """Write the stage; a file that is there is written over: the dialog has asked."""
        if not path.name.endswith(SUFFIX):
            path = path.with_name(path.name + SUFFIX)
        try:
            write_bytes(path, pretty(document(self.session.stage)).encode(), overwrite=True)
        except ReflexaError as e:
            self.session.failed.emit(str(e))
            return
        self.session.said.emit(f"Written: {path}")
