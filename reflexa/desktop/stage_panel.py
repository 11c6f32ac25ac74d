"""The stage: its props, their exact sizes and places, grips, keys, and what they are held by; stage files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from reflexa.desktop import stage_hand
from reflexa.desktop.fields import vector
from reflexa.desktop.session import Session
from reflexa.errors import ReflexaError
from reflexa.formats.files import write_bytes
from reflexa.names import free_name
from reflexa.project.text import pretty
from reflexa.stage import Grip, Hold, Prop, PropKey, Stage
from reflexa.stage.model import between_keys
from reflexa.stage.presets import PRESETS
from reflexa.stage.store import SUFFIX, document, read_stage

FILES = f"Stages and meshes (*{SUFFIX} *.glb *.gltf)"


class StagePanel(QWidget):
    """A list of props over the settings of the selected one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 6, 2, 2)
        row = QHBoxLayout()
        self.put = QPushButton("Put in a prop")
        menu = QMenu(self)
        for name in PRESETS:
            menu.addAction(name.capitalize(), lambda n=name: session.put_prop(PRESETS[n]()))
        self.put.setMenu(menu)
        self.file = QPushButton("Stage file")
        files = QMenu(self)
        files.addAction("Add from a file…", self.open_dialog)
        files.addAction("Save the stage as a file…", self.save_dialog)
        takes = files.addMenu("Take over the stage of")
        takes.aboutToShow.connect(lambda: self._fill_takes(takes))
        self.file.setMenu(files)
        row.addWidget(self.put, 1)
        row.addWidget(self.file)
        column.addLayout(row)
        self.list = QListWidget()
        self.list.setAccessibleName("Props")
        self.list.itemSelectionChanged.connect(self._picked)
        column.addWidget(self.list)
        self.empty = QLabel(
            "Nothing stands on the stage. Put in what the feet stand on and the hands hold: feet are planted on it, goals "
            "go to its grips. It is never exported with the clip.", wordWrap=True, objectName="quiet",
        )  # fmt: skip
        column.addWidget(self.empty)
        self.scroll = QScrollArea()
        self.scroll.setWidgetResizable(True)
        self.scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self.scroll, 1)
        self._shape: object = None
        self._refreshers: list[Any] = []
        for signal in (session.take_changed, session.selection_changed, session.evaluated):
            signal.connect(self.refresh)
        session.playhead_changed.connect(self._on_playhead)
        self.refresh()

    @property
    def prop(self) -> Prop | None:
        return self.session.stage.prop(self.session.prop)

    def _on_playhead(self) -> None:
        if not self.session.playing:
            for refresh in self._refreshers:
                refresh()

    def refresh(self) -> None:
        """Bring list and fields up to date."""
        session = self.session
        props = session.stage.props
        self.put.setEnabled(session.take is not None)
        self.file.setEnabled(session.take is not None)
        for box in (self.put, self.file):
            box.setToolTip("" if session.take is not None else "No take is open: a stage belongs to a take")
        self.empty.setVisible(not props)
        self.list.setVisible(bool(props))
        names = [p.name for p in props]
        self.list.blockSignals(True)
        if [self.list.item(i).text() for i in range(self.list.count())] != names:
            self.list.clear()
            for p in props:
                item = QListWidgetItem(p.name)
                w, h, d = p.size
                item.setToolTip(f"{p.shape}, {w:.2f} × {h:.2f} × {d:.2f} m")
                self.list.addItem(item)
        self.list.setFixedHeight(min(max(len(names), 1), 6) * 22 + 6)
        self.list.setCurrentRow(names.index(session.prop) if session.prop in names else -1)
        self.list.blockSignals(False)
        prop = self.prop
        clip = session.shown
        events = tuple(e.name for e in clip.events) if clip else ()
        counted = prop and (prop.name, prop.shape, len(prop.grips), len(prop.holds), bool(prop.keys))
        shape = counted, events, session.rig and session.rig.key
        if shape != self._shape:
            self._shape = shape
            self._refreshers = []
            page = QWidget()
            if prop is not None:
                self._fill(QVBoxLayout(page), prop)
            self.scroll.setWidget(page)
        for refresh in self._refreshers:
            refresh()

    def _picked(self) -> None:
        item = self.list.currentItem()
        self.session.select_prop(item.text() if item is not None else "")

    # The selected prop --------------------------------------------------------------------------------------

    def _fill(self, column: QVBoxLayout, prop: Prop) -> None:
        column.setContentsMargins(0, 6, 0, 6)
        form = QFormLayout()
        form.setSpacing(6)
        form.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
        name = QLineEdit(prop.name, accessibleName="Name of the prop")
        name.editingFinished.connect(lambda: self._set("rename the prop", name=name.text()))
        form.addRow("Name", name)
        self._refreshers.append(lambda: name.hasFocus() or name.setText(self.prop.name if self.prop else ""))
        if prop.shape != "mesh":
            shape = QComboBox(accessibleName="Shape")
            shape.addItems(["box", "ramp", "cylinder"])
            shape.activated.connect(lambda _i: self._set("change the shape", shape=shape.currentText()))
            self._refreshers.append(lambda: self.prop and shape.setCurrentText(self.prop.shape))
            form.addRow("Shape", shape)
            self._vector(form, "Size", "m", "Width, height and depth", lambda p: p.size, "size", least=0.001)
        keyed = "at this frame" if prop.keys else ""
        self._vector(form, f"Place {keyed}".strip(), "m", "The middle of its base", self._place, "place")
        self._vector(form, f"Turn {keyed}".strip(), "°", "About y, then x, then z", self._turn, "turn")
        surface = QCheckBox("Feet may stand on it")
        surface.clicked.connect(lambda on: self._set("make it a surface" if on else "make it no surface", surface=on))
        self._refreshers.append(lambda: self.prop and surface.setChecked(self.prop.surface))
        form.addRow(surface)
        column.addLayout(form)
        self._fill_grips(column, prop)
        self._fill_keys(column, prop)
        self._fill_holds(column, prop)
        away = QPushButton("Take it away")
        away.clicked.connect(self.session.remove_prop)
        column.addWidget(away)
        column.addStretch(1)

    def _vector(
        self, form: QFormLayout, title: str, unit: str, tip: str, get: Any, field: str, least: float = -1e6
    ) -> None:
        def set_(v: tuple[float, float, float]) -> None:
            prop = self.prop
            if prop is None:
                return
            if field == "size":
                self._set(f"set the {field}", "prop size", size=v)
            else:
                new = stage_hand.placed(
                    prop, self.session.frame, v if field == "place" else None, v if field == "turn" else None
                )
                self.session.edit_prop(f"set the {field}", new, f"prop {field}")

        about = {"title": title, "unit": unit, "help": tip, "least": least, "most": 1e6}
        row, show = vector(about, lambda: get(self.prop) if self.prop else (0.0, 0.0, 0.0), set_)
        self._refreshers.append(show)
        form.addRow(f"{title} ({unit})", row)

    def _place(self, prop: Prop) -> tuple[float, float, float]:
        return self._now(prop)[0]

    def _turn(self, prop: Prop) -> tuple[float, float, float]:
        return self._now(prop)[1]

    def _now(self, prop: Prop) -> tuple[Any, Any]:
        """Place and turn at the playhead, before anything holds the prop."""
        if not prop.keys:
            return prop.place, prop.turn
        turns, places = between_keys(prop.keys, [self.session.frame])
        return tuple(places[0].tolist()), tuple(turns[0].tolist())

    def _set(self, label: str, merge: str = "", **changes: Any) -> None:
        prop = self.prop
        if prop is not None:
            try:
                self.session.edit_prop(label, msgspec.structs.replace(prop, **changes), merge)
            except ValueError as e:
                self.session.said.emit(f"{e}.")

    def _fill_grips(self, column: QVBoxLayout, prop: Prop) -> None:
        column.addWidget(QLabel("Grips", objectName="section"))
        for i, grip in enumerate(prop.grips):
            row = QHBoxLayout()
            name = QLineEdit(grip.name, accessibleName=f"Grip {i + 1}")
            name.editingFinished.connect(lambda n=i, f=name: self._set_grip(n, name=f.text()))
            row.addWidget(name, 1)
            away = QPushButton("×", toolTip="Take the grip away", accessibleName=f"Take grip {grip.name} away")
            away.setFixedWidth(24)
            away.setObjectName("narrow")
            away.clicked.connect(lambda _=False, n=i: self._set("take a grip away", grips=_without(self.prop.grips, n)))
            row.addWidget(away)
            column.addLayout(row)
            for field, unit, tip in (
                ("place", "m", "In the prop's own axes, from the middle of its base"),
                ("turn", "°", "How a hand that goes to it lies"),
            ):
                about = {"title": f"Grip {grip.name}, {field}", "unit": unit, "help": tip}
                box, show = vector(
                    about, lambda n=i, f=field: self._grip(n, f), lambda v, n=i, f=field: self._set_grip(n, **{f: v})
                )
                self._refreshers.append(show)
                line = QHBoxLayout()
                line.addWidget(QLabel(unit, objectName="quiet"))
                line.addWidget(box, 1)
                column.addLayout(line)
        add = QPushButton("Add a grip")
        add.setToolTip("A named place on the prop that a goal can go to; it begins at the top")
        add.clicked.connect(self._add_grip)
        column.addWidget(add)

    def _grip(self, index: int, field: str) -> tuple[float, float, float]:
        grips = self.prop.grips if self.prop else ()
        return getattr(grips[index], field) if index < len(grips) else (0.0, 0.0, 0.0)

    def _add_grip(self) -> None:
        prop = self.prop
        if prop is not None:
            names = {g.name for g in prop.grips}
            name = free_name("grip", names)
            self._set("add a grip", grips=(*prop.grips, Grip(name, (0.0, prop.size[1], 0.0))))

    def _set_grip(self, index: int, **changes: Any) -> None:
        prop = self.prop
        if prop is not None and index < len(prop.grips):
            new = msgspec.structs.replace(prop.grips[index], **changes)
            if not new.name or new.name in {g.name for k, g in enumerate(prop.grips) if k != index}:
                self.session.said.emit("A grip needs a name of its own.")
                self.refresh()
                return
            self._set("change a grip", f"grip {index}", grips=(*prop.grips[:index], new, *prop.grips[index + 1 :]))

    def _fill_keys(self, column: QVBoxLayout, prop: Prop) -> None:
        column.addWidget(QLabel("Moves", objectName="section"))
        said = QLabel(wordWrap=True)
        said.setVisible(bool(prop.keys))

        def show() -> None:
            if self.prop is not None and self.prop.keys:
                said.setText(f"Keys at frames {', '.join(str(k.frame) for k in self.prop.keys)}; even between.")

        self._refreshers.append(show)
        column.addWidget(said)
        row = QHBoxLayout()
        key = QPushButton("Key it here")
        key.setToolTip(
            "From now on its place and turn are those of its keys; move it at another frame to key it there too"
        )
        key.clicked.connect(self._key)
        row.addWidget(key)
        clear = QPushButton("No keys")
        clear.setToolTip("It stays where it is at this frame" if prop.keys else "It has no keys")
        clear.setEnabled(bool(prop.keys))
        clear.clicked.connect(self._no_keys)
        row.addWidget(clear)
        column.addLayout(row)

    def _key(self) -> None:
        prop, frame = self.prop, self.session.frame
        if prop is not None:
            place, turn = self._now(prop)
            keys = sorted(
                [*(k for k in prop.keys if k.frame != frame), PropKey(frame, place, turn)], key=lambda k: k.frame
            )
            self._set("key the prop", keys=tuple(keys))

    def _no_keys(self) -> None:
        prop = self.prop
        if prop is not None:
            place, turn = self._now(prop)
            self._set("take the keys away", keys=(), place=place, turn=turn)

    def _fill_holds(self, column: QVBoxLayout, prop: Prop) -> None:
        column.addWidget(QLabel("Is carried by", objectName="section"))
        clip = self.session.shown
        events = [e.name for e in clip.events] if clip is not None else []
        for i, hold in enumerate(prop.holds):
            row = QHBoxLayout()
            begin = f"from {hold.begin}"
            end = f"to {hold.end}" if hold.end != "" else "to the end"
            label = QLabel(f"{hold.joint}, {begin} {end}", wordWrap=True)
            row.addWidget(label, 1)
            away = QPushButton(
                "×", toolTip="It is no longer carried then", accessibleName=f"Take carrying {i + 1} away"
            )
            away.setFixedWidth(24)
            away.setObjectName("narrow")
            away.clicked.connect(
                lambda _=False, n=i: self._set("carry it no longer", holds=_without(self.prop.holds, n))
            )
            row.addWidget(away)
            column.addLayout(row)
        self._hold_joint = QComboBox(accessibleName="Carried by")
        rig = self.session.rig
        if rig is not None:
            for part in ("right hand", "left hand", "pelvis", "head"):
                if rig.joint(part) >= 0:
                    self._hold_joint.addItem(part.capitalize(), rig.skeleton.names[rig.joint(part)])
            for joint in rig.skeleton.names:
                self._hold_joint.addItem(joint, joint)
        self._hold_begin, self._hold_end = (
            QComboBox(accessibleName="Carried from"),
            QComboBox(accessibleName="Carried to"),
        )
        self._hold_begin.addItem("this frame", None)
        self._hold_end.addItem("the end", "")
        self._hold_end.addItem("this frame", None)
        for box in (self._hold_begin, self._hold_end):
            for e in events:
                box.addItem(f"event {e}", e)
        form = QFormLayout()
        form.setSpacing(4)
        for title, box in (("Joint", self._hold_joint), ("From", self._hold_begin), ("To", self._hold_end)):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(6)
            form.addRow(title, box)
        column.addLayout(form)
        add = QPushButton("Let it be carried")
        add.setToolTip("It goes with the joint between the two, and stays where it is let go")
        add.clicked.connect(self._add_hold)
        column.addWidget(add)

    def _add_hold(self) -> None:
        prop, frame = self.prop, self.session.frame
        if prop is None or self._hold_joint.currentData() is None:
            return
        begin, end = self._hold_begin.currentData(), self._hold_end.currentData()
        hold = Hold(self._hold_joint.currentData(), frame if begin is None else begin, frame if end is None else end)
        if isinstance(hold.begin, int) and isinstance(hold.end, int) and hold.end <= hold.begin:
            hold = msgspec.structs.replace(hold, end="")
        self._set("let it be carried", holds=(*prop.holds, hold))

    # Files --------------------------------------------------------------------------------------------------

    def _fill_takes(self, menu: QMenu) -> None:
        menu.clear()
        takes = [t for t in self.session.project.takes if t.stage.props and t.name != self.session.take_name]
        for take in takes:
            menu.addAction(
                take.name, lambda t=take: self.session.edit_stage(f"take over the stage of {t.name}", t.stage)
            )
        if not takes:
            menu.addAction("No other take has a stage").setEnabled(False)

    def open_dialog(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Add to the stage", "", FILES)
        if chosen:
            self.open_file(Path(chosen))

    def open_file(self, path: Path) -> None:
        """Add a file's props to the stage; names that are taken get a number."""
        try:
            found = read_stage(path)
        except ReflexaError as e:
            self.session.failed.emit(str(e))
            return
        stage, session = self.session.stage, self.session
        for p in found.props:
            name = free_name(p.name, {q.name for q in stage.props})
            stage = Stage((*stage.props, msgspec.structs.replace(p, name=name)))
        session.edit_stage(f"add {path.name}", stage)
        if stage.props:
            session.select_prop(stage.props[-1].name)

    def save_dialog(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Save the stage", str(Path.home() / f"landing{SUFFIX}"), f"Stages (*{SUFFIX})"
        )
        if chosen:
            self.save_file(Path(chosen))

    def save_file(self, path: Path) -> None:
        if not path.name.endswith(SUFFIX):
            path = path.with_name(path.name + SUFFIX)
        try:
            write_bytes(
                path, pretty(document(self.session.stage)).encode(), overwrite=True
            )  # the file dialog has asked
        except ReflexaError as e:
            self.session.failed.emit(str(e))
            return
        self.session.said.emit(f"Written: {path}")


def _without(things: tuple[Any, ...], index: int) -> tuple[Any, ...]:
    return (*things[:index], *things[index + 1 :])
