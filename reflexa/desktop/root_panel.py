"""Root motion: the way over the ground from above, drawn and edited; the pace along it; and what it came to in numbers."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from reflexa.desktop.beginnings import own_way, settings_for
from reflexa.desktop.path_pictures import PacePicture, PathPicture
from reflexa.desktop.session import Session
from reflexa.desktop.tables import JointTable, Row, StepPanel
from reflexa.rig import Rig
from reflexa.steps import make
from reflexa.steps.root_motion import Report, report, travel_of
from reflexa.take.model import insert_step


class RootPanel(StepPanel):
    """The pictures, the buttons beside them, and the report."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.picture = PathPicture(session)
        self.column.addWidget(self.picture)
        self.buttons = QWidget()
        row = QHBoxLayout(self.buttons)
        row.setContentsMargins(0, 0, 0, 0)
        self.trace = QPushButton("Begin with its own way")
        self.trace.setToolTip("The path as the clip travels now, as a few points to be drawn on from")
        self.trace.clicked.connect(self._own_way)
        self.clear = QPushButton("Clear")
        self.clear.setToolTip("Take all points of the path away")
        self.clear.clicked.connect(lambda: self.picture._set([]))
        row.addWidget(self.trace, 1)
        row.addWidget(self.clear)
        self.column.addWidget(self.buttons)
        self.pace = PacePicture(session)
        self.column.addWidget(self.pace)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)
        self.table = JointTable(session, "Stances", ["Foot", "frames", "even cm", "slides cm"])
        self.table.setToolTip(
            "How far each standing foot is from going back evenly under the figure, and how far it slides"
        )
        self.column.addWidget(self.table)
        self.add_root = QPushButton("Give it a root joint")
        self.add_root.setToolTip("Adds a step before this one that puts a root joint below the pelvis")
        self.add_root.clicked.connect(self._add_root)
        self.column.addWidget(self.add_root)
        self._seen: object = None

    def refresh(self) -> None:
        """Bring pictures and numbers up to date with the step."""
        session = self.session
        settings = self.picture.settings
        if settings is None:
            return
        along = settings.operation == "along path"
        self.buttons.setVisible(along)
        self.pace.setVisible(along and settings.walked == "to its end")
        evaluation, rig = session.settled, session.step_rig
        lacks_root = rig is not None and rig.joint("root") < 0
        self.add_root.setVisible(lacks_root and settings.operation in ("from pelvis", "hand back", "from feet"))
        if session.step_problem or evaluation is None or rig is None:
            self.said.setText(session.step_problem or "")
            self.picture.update()
            return
        at = session.stage_of(session.card)
        key = (evaluation, session.card)
        if key == self._seen:
            self.picture.update()
            self.pace.update()
            return
        self._seen = key
        before, after = evaluation.clips[at - 1], evaluation.clips[at]
        a, b = travel_of(before, rig).place, travel_of(after, rig).place
        self.picture.show_ways(a, b, after.rate)
        if len(b) > 1:
            self.pace.show_speed(np.linalg.norm(np.gradient(b, axis=0), axis=1) * after.rate)
        is_ = report(after, rig)
        self.said.setText("\n".join([*is_.lines(), _as_before(report(before, rig))]))
        self._show_stances(is_, rig)

    def _show_stances(self, is_: Report, rig: Rig) -> None:
        rows: list[Row] = []
        for s in is_.stances:
            name = rig.skeleton.names[rig.joint(f"{s.side} foot")]
            texts = (s.side, f"{s.first}–{s.last}", f"{s.linear / 10:.2f}", f"{s.slide / 10:.2f}")
            tip = f"{s.side} foot, frames {s.first} to {s.last}: even within {s.linear:.1f} mm, slides {s.slide:.1f} mm"
            rows.append((texts, tip, name, s.first))
        self.table.setVisible(bool(rows))
        self.table.show_rows(rows, most=6)

    def _own_way(self) -> None:
        below, rig = self.session.below, self.session.below_rig
        if below is None or rig is None:
            return
        self.picture._set(list(own_way(below, rig)))

    def _add_root(self) -> None:
        session = self.session
        if session.take is not None and session.card >= 0:
            at = session.card
            session.card = at + 1
            session.edit_take(
                "add a root joint",
                insert_step(session.take, at, make("root-joint", **settings_for(session, "root-joint", at))),
            )
            session.selection_changed.emit()


def _as_before(was: Report) -> str:
    """What it was before the step, in words."""
    slide = max((s.slide for s in was.stances), default=0.0) / 10
    return f"Before: {was.distance:.2f} m, {was.average:.3f} m a second, {was.heading:+.1f}°, sliding up to {slide:.1f} cm."
