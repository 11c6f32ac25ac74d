"""The change at the playhead, typed: degrees and centimetres of the selected joint; and what its key does next."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import msgspec
import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QWidget,
)

from reflexa.desktop.kinds.correction_manipulator import hold
from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.number_fields import DecimalField
from reflexa.desktop.widgets.qt_properties import named, styled
from reflexa.session import Session, line
from reflexa.steps.correction import (
    CorrectionReport,
    Key,
    Track,
    change_keys,
    frames_from,
    missing,
    set_key,
    track_at,
    usual_track,
    with_keys,
    with_track,
)  # fmt: skip

# What a track can move; the body with what stays.
_DRIVES = {
    "joint": ("the joint alone", "The joint rotates (and moves) alone; its children follow"),
    "limb": ("the whole limb", "The hand or foot moves and the limb bends to follow. Bones keep their lengths."),
    "chain": ("the whole chain", "The end moves and the chain bends to follow. Bones keep their lengths."),
    "aim": ("the look", "Move the point that the head looks at; neck and head rotate to follow"),
    "body": ("the body", "The whole figure moves"),
    "body, feet": ("the body, feet stay", "The body moves, the feet stay in place"),
    "body, feet, hands": ("the body, feet and hands stay", "The body moves, feet and hands stay in place"),
}
_WORDS = {"own": "the joint's own axes", "parent": "its parent's axes", "world": "the world's axes"}


@dataclass
class _Field:
    box: QDoubleSpinBox
    what: str
    axis: int


def _listed(frames: list[int]) -> str:
    return ", ".join(map(str, frames[:4])) + (f" and {len(frames) - 4} more" if len(frames) > 4 else "")


def _held_back(report: object) -> str:
    if not isinstance(report, CorrectionReport):
        return ""
    return "".join(
        f" {h.joint} is {h.metres * 100:.1f} cm short at frame {h.frame} because a leg is straight. Pull less, or choose "
        "“the body” so that the feet follow."
        for h in report.held_back
    )


class CorrectionPanel(StepPanel):
    """Typing a number sets the key at the playhead, with neutral keys around it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        column = self.column
        self.title = named(QLabel(wordWrap=True), "section")
        column.addWidget(self.title)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.fields: list[_Field] = []
        for col, letter in enumerate("xyz"):
            head = named(QLabel(letter), "quiet")
            head.setAlignment(Qt.AlignmentFlag.AlignCenter)
            grid.addWidget(head, 0, col + 1)
            grid.setColumnStretch(col + 1, 1)
        for row, (what, title, suffix, limit, step) in enumerate(
            (("rotate", "Turn", "°", 180.0, 1.0), ("move", "Move", " cm", 1000.0, 0.5)), 1
        ):
            grid.addWidget(QLabel(title), row, 0)
            for axis, letter in enumerate("xyz"):
                box = DecimalField(minimum=-limit, maximum=limit, decimals=1, singleStep=step, suffix=suffix)
                box.setKeyboardTracking(False)
                box.setMinimumWidth(58)
                box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
                box.setAccessibleName(f"{title} {letter}")
                field = _Field(box, what, axis)
                box.valueChanged.connect(lambda v, f=field: self._typed(f, v))
                grid.addWidget(box, row, axis + 1)
                self.fields.append(field)
        column.addLayout(grid)
        self.note = named(QLabel(wordWrap=True), "warn")
        column.addWidget(self.note)
        self._add_choices()
        self._add_swing()
        self._add_keys()

    def _add_choices(self) -> None:
        """In which axes a change is meant, and what it moves."""
        row = QHBoxLayout()
        row.addWidget(QLabel("In"))
        self.space = styled(QComboBox(), accessibleName="Space of the change")
        for key, words in _WORDS.items():
            self.space.addItem(words, key)
        self.space.activated.connect(lambda _i: self._set_space())
        row.addWidget(self.space, 1)
        self.column.addLayout(row)
        row = QHBoxLayout()
        row.addWidget(QLabel("Moves"))
        self.drives = styled(QComboBox(), accessibleName="What the change moves")
        for key, (words, help_) in _DRIVES.items():
            self.drives.addItem(words, key)
            self.drives.setItemData(self.drives.count() - 1, help_, Qt.ItemDataRole.ToolTipRole)
        self.drives.activated.connect(lambda _i: self._set_drives())
        row.addWidget(self.drives, 1)
        self.column.addLayout(row)

    def _add_swing(self) -> None:
        self.swing_row = QWidget()
        row = QHBoxLayout(self.swing_row)
        row.setContentsMargins(0, 0, 0, 0)
        self.swing = DecimalField(minimum=-180, maximum=180, decimals=1, singleStep=2.0, suffix="°")
        self.swing.setKeyboardTracking(False)
        self.swing.setAccessibleName("Swing of elbow or knee")
        self.swing.setToolTip(
            "Pole direction: rotates the elbow or knee about the line from shoulder to hand, or hip to foot"
        )
        self.swing.valueChanged.connect(self._set_swing)
        row.addWidget(QLabel("Elbow, knee"))
        row.addWidget(self.swing, 1)
        self.column.addWidget(self.swing_row)

    def _add_keys(self) -> None:
        """How the selected keys lead on."""
        row = QHBoxLayout()
        row.addWidget(QLabel("Then"))
        self.then = styled(QComboBox(), accessibleName="Interpolation of the keys")
        self.then.addItems(["smooth", "eased", "linear", "hold"])
        self.then.activated.connect(lambda _i: self._set_then())
        row.addWidget(self.then, 1)
        self.column.addLayout(row)
        row = QHBoxLayout()
        self.neutral = QPushButton("Neutral here")
        self.neutral.setToolTip("A key that means: no change at this frame")
        self.neutral.clicked.connect(self._set_neutral)
        self.delete = QPushButton("Remove keys")
        self.delete.clicked.connect(self._delete)
        row.addWidget(self.neutral)
        row.addWidget(self.delete)
        self.column.addLayout(row)

    # State ----------------------------------------------------------------------------------------------------

    def _track(self) -> Track | None:
        settings = line.begun_layer(self.session)
        rig = self.session.computed.step_rig
        if settings is None or not self.session.selection.joint or rig is None:
            return None
        return usual_track(settings, rig, self.session.selection.joint)

    def refresh(self) -> None:
        session = self.session
        settings, track = session.layer, self._track()
        ready = track is not None
        for field in self.fields:
            field.box.setEnabled(ready)
            field.box.setToolTip("" if ready else "Pick a joint in the picture first")
        self.neutral.setEnabled(ready)
        self.space.setEnabled(ready)
        keys = session.selection.keys
        self.then.setEnabled(bool(keys))
        self.then.setToolTip(
            "Interpolation from the selected keys to the next ones" if keys else "Select keys in the time area first"
        )
        self.delete.setEnabled(bool(keys))
        self.delete.setToolTip(f"{len(keys)} selected" if keys else "Select keys in the time area first")
        if settings is None:
            return
        gone = missing(settings, session.computed.step_rig) if session.computed.step_rig else []
        said = f"Keys of joints that this rig does not have are ignored: {', '.join(gone)}." if gone else ""
        beyond = frames_from(settings, session.computed.frames)
        if beyond:
            said += f" Keys after the last frame ({session.computed.frames - 1}) still affect the curve: at {_listed(beyond)}."
        said += _held_back(session.computed.report)
        self.note.setText(said.strip())
        self.note.setVisible(bool(said))
        swing = 0.0
        if track is None:
            self.title.setText("Pick a joint in the picture to correct it")
            values = np.zeros(6)
        else:
            keyed = any(k.frame == session.player.frame for k in settings.track(session.selection.joint).keys)
            self.title.setText(f"{session.selection.joint} at frame {session.player.frame}{' (key)' if keyed else ''}")
            values = np.zeros(6)
            if track.keys:
                r, m, swung = track_at(track, np.array([session.player.frame]))
                values = np.concatenate([r[0], m[0] * 100])
                swing = float(swung[0])
            self.space.setCurrentIndex(self.space.findData(track.space))
        drives, stay = (track.drives, track.stay) if track is not None else ("joint", ())
        self.drives.setCurrentIndex(max(0, self.drives.findData(", ".join((drives, *stay)))))
        replaces = settings.how == "replace"
        for box in (self.drives, self.space):
            box.setEnabled(ready and not replaces)
            box.setToolTip("In a replacing layer each joint moves alone, in its own axes" if replaces else "")
        self.neutral.setText("Rest here" if replaces else "Neutral here")
        self.neutral.setToolTip(
            "A key that puts the joint into its rest pose" if replaces else "A key that means: no change at this frame"
        )
        self.swing_row.setVisible(drives == "limb")
        self.swing.blockSignals(True)
        self.swing.setValue(swing)
        self.swing.blockSignals(False)
        for field, value in zip(self.fields, values, strict=True):
            field.box.blockSignals(True)
            field.box.setValue(float(value))
            field.box.blockSignals(False)
        if keys:
            joint, frame = min(keys)
            self.then.setCurrentText(next((k.then for k in settings.track(joint).keys if k.frame == frame), "smooth"))

    # Edits ----------------------------------------------------------------------------------------------------

    def _typed(self, field: _Field, value: float) -> None:
        session = self.session
        settings, track = line.begun_layer(session), self._track()
        if settings is None or track is None:
            return
        now = np.zeros(3)
        if track.keys:
            r, m, _ = track_at(track, np.array([session.player.frame]))
            now = (r if field.what == "rotate" else m)[0]
        vector = [float(v) for v in now]
        vector[field.axis] = value if field.what == "rotate" else value / 100
        change: dict[str, Any] = {field.what: (vector[0], vector[1], vector[2])}
        new = set_key(
            settings, session.selection.joint, session.player.frame, session.computed.frames - 1, space=self.space.currentData(),
            drives=track.drives, stay=track.stay, **change,
        )  # fmt: skip
        line.edit_layer(
            session,
            f"{field.what} {session.selection.joint}",
            new,
            merge=f"typed {field.what} {field.axis} {session.player.frame}",
        )
        session.selection.select_keys({(session.selection.joint, session.player.frame)})

    def _set_space(self) -> None:
        settings, track = self.session.layer, self._track()
        if settings is not None and track is not None and track.keys:
            new = msgspec.structs.replace(track, space=self.space.currentData())
            line.edit_layer(self.session, "set the space", with_track(settings, new))

    def _set_drives(self) -> None:
        settings, track = self.session.layer, self._track()
        if settings is not None and track is not None:
            drives, *stay = self.drives.currentData().split(", ")
            new = msgspec.structs.replace(track, drives=drives, stay=tuple(stay))
            if track.keys:
                line.edit_layer(self.session, "set what the change moves", with_track(settings, new))
            else:
                self.session.said.emit("The joint has no key yet: pull it or type a number first.")
                self.refresh()

    def _set_swing(self, value: float) -> None:
        session, settings, track = self.session, self.session.layer, self._track()
        if settings is not None and track is not None:
            new = set_key(
                settings,
                session.selection.joint,
                session.player.frame,
                session.computed.frames - 1,
                swing=value,
                drives="limb",
                space="world",
            )
            line.edit_layer(session, f"swing {session.selection.joint}", new, merge=f"swing {session.player.frame}")
            session.selection.select_keys({(session.selection.joint, session.player.frame)})

    def _set_then(self) -> None:
        settings = self.session.layer
        if settings is not None and self.session.selection.keys:
            then = self.then.currentText()
            line.edit_layer(
                self.session, f"make keys {then}", change_keys(settings, self.session.selection.keys, then=then)
            )

    def _set_neutral(self) -> None:
        settings, track = self.session.layer, self._track()
        if settings is not None and track is not None:
            frame = self.session.player.frame
            line.edit_layer(self.session, "set a neutral key", with_track(settings, with_keys(track, Key(frame))))
            self.session.selection.select_keys({(track.joint, frame)})

    def _delete(self) -> None:
        settings = self.session.layer
        if settings is not None and self.session.selection.keys:
            line.edit_layer(self.session, "remove keys", change_keys(settings, self.session.selection.keys))


VIEW = StepView(
    "correction",
    also="layer pose edit offset adjust fix",
    acts_on="joint",
    panel=CorrectionPanel,
    hidden=frozenset({"tracks"}),
    hold=hold,
    begins_by_hand=True,
    shortcut="Ctrl+K",
)
