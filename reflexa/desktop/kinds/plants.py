"""Plants: how well each is held before and after, where they are, and the way from found ones to ones written down."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QPushButton

from reflexa.desktop.kinds.model import Moment, StepView
from reflexa.desktop.kinds.plant_lanes import PlantLanes
from reflexa.desktop.kinds.plants_now import edit, plants_of, report_of, settings_of
from reflexa.desktop.picture.overlay import Overlay
from reflexa.desktop.picture.sight import Sight
from reflexa.desktop.session import Session, line
from reflexa.desktop.settings.joint_table import Row
from reflexa.desktop.settings.step_panel import TablePanel
from reflexa.desktop.widgets import labels
from reflexa.draw.figure import LEFT, RIGHT
from reflexa.draw.scene import Lines
from reflexa.motion.arrays import Array
from reflexa.rig import Rig
from reflexa.rig.soles import Sole, soles
from reflexa.steps.plants import Plant, PlantsReport

_NONE_FOUND = (
    "No foot is ever low and slow. A clip made on the spot has no plants until it travels: add root motion from feet. Else "
    "lift the thresholds, or double-click in the time area."
)
_NONE_WRITTEN = "No plant is written down. Double-click in the time area to put one in."


class PlantsPanel(TablePanel):
    """A row leads to the foot and to the frame at which it drifts most."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Plants", ["Plant", "frames", "was cm", "is mm"])
        row = QHBoxLayout()
        self.write = QPushButton("Write down")
        self.write.clicked.connect(lambda: edit(session, "write the plants down", plants_of(session)))
        self.again = QPushButton("Find anew")
        self.again.clicked.connect(self._find)
        row.addWidget(self.write)
        row.addWidget(self.again)
        self.column.insertLayout(0, row)
        self.more = labels.quiet()
        self.column.addWidget(self.more)
        self._shown: object = None

    def _find(self) -> None:
        settings = settings_of(self.session)
        if settings is not None:
            line.edit_settings(self.session, "find plants anew", replace(settings, find=True, plants=()))

    def refresh(self) -> None:
        session, settings, report, rig = (
            self.session, settings_of(self.session), report_of(self.session), self.session.step_rig,
        )  # fmt: skip
        if settings is None:
            return
        self._switch(settings.find)
        if session.step_problem:
            self.summary.setText(session.step_problem)
            self.table.hide()
            self.more.hide()
            self._shown = None
        elif report is not None and rig is not None and report is not self._shown:
            self._shown = report
            self.table.setVisible(bool(report.plants))
            self.more.setVisible(bool(report.plants))
            if report.plants:
                self._show(report, rig, settings.find)
            else:
                self.summary.setText(_NONE_FOUND if settings.find else _NONE_WRITTEN)

    def _switch(self, find: bool) -> None:
        self.write.setEnabled(find)
        self.again.setEnabled(not find)
        self.write.setToolTip(
            "Keep the plants that were found, to change them by hand in the time area"
            if find
            else "They are written down already"
        )
        self.again.setToolTip(
            "They are found anew at every change already"
            if find
            else "Forget what was changed by hand, and find them by height and speed again"
        )

    def _show(self, report: PlantsReport, rig: Rig, find: bool) -> None:
        rows: list[Row] = []
        worst = 0.0
        for p, was, now in zip(report.plants, report.was, report.now, strict=True):
            worst = max(worst, now.drift if p.on else 0.0)
            tip = (
                f"{p.limb}, frames {p.first} to {p.last}: drifted {was.drift / 10:.2f} cm, now {now.drift:.3f} mm; "
                f"below what it stands on {was.depth / 10:.1f} cm, now {now.depth:.2f} mm"
            )
            name = rig.skeleton.names[rig.joint(p.limb)] if rig.joint(p.limb) >= 0 else ""
            is_ = f"{now.drift:.2f}" if p.on else "left"
            texts = p.limb.removesuffix(" foot"), f"{p.first}–{p.last}", f"{was.drift / 10:.1f}", is_
            rows.append((texts, tip, name, was.frame))
        how = "found" if find else "written down"
        text = f"{len(rows)} plants {how}, held within {max(worst, 0.01):.2f} mm. How far they drift:"
        if worst > 1.0:
            text = (
                f"{len(rows)} plants {how}. One still drifts {worst:.1f} mm: its leg does not reach. Let the pelvis give way "
                "more, or hold it at another place."
            )
        self.summary.setText(text)
        self.table.show_rows(rows)
        self.more.setText(
            f"Acceleration added at the ends of plants: up to {report.acceleration:.1f} m/s². Longer ease in and out lowers "
            "it."
        )


# Picture --------------------------------------------------------------------------------------------------------


def _overlay(moment: Moment, sight: Sight, _hot: int) -> Overlay:
    """Where feet are held: the outline of each sole on what it stands on, strong while it is held."""
    rig, known = moment.rig, soles(moment.rig)
    turned, placed = moment.clip.model
    out = []
    for p in plants_of(moment.session):
        if not p.on or p.first >= moment.clip.frames or rig.joint(p.limb) < 0:
            continue
        side, now = p.limb.split()[0], p.first <= moment.frame <= p.last
        rgba = (*(LEFT if side == "left" else RIGHT), 1.0 if now else 0.55)
        if not p.limb.endswith("foot"):
            out.append(_cross(placed[p.first, rig.joint(p.limb)] + sight.shift, rgba))
        elif side in known:
            at = _flat(p, moment.clip.frames)
            ends = _outline(known[side], turned[at], placed[at]) + sight.shift
            out.append(Lines(ends, np.full((4, 2), 3.4 if now else 1.8), np.tile(rgba, (4, 1))))
    return Overlay(lines=tuple(out))


def _flat(p: Plant, frames: int) -> int:
    """A frame at which heel and ball bear: before it comes down and after it lifts, the foot is not flat."""
    at = (p.ball_from + p.heel_to) // 2 if p.ball_from <= p.heel_to else p.ball_from
    return min(max(at, p.first), p.last, frames - 1)


def _outline(sole: Sole, turned: Array, placed: Array) -> Array:
    """The rim of a sole in a pose as strokes ``(4, 2, 3)``, a little above what it stands on."""
    points = sole.underside(turned[None], placed[None])[:, 0]
    heel, end = points[0], points[-1]
    way = (end - heel) * [1.0, 0.0, 1.0]
    across = np.array([way[2], 0.0, -way[0]]) * 0.19
    rim = np.array([heel - 0.7 * across, heel + 0.7 * across, end + across, end - across, heel - 0.7 * across])
    rim[:, 1] += 0.004
    return np.stack([rim[:-1], rim[1:]], axis=1)


def _cross(place: Array, rgba: tuple[float, float, float, float]) -> Lines:
    """Three short strokes through a place."""
    ends = place + 0.04 * np.stack([-np.eye(3), np.eye(3)], axis=1)
    return Lines(ends, np.full((3, 2), 2.6), np.tile(rgba, (3, 1)), on_top=True)


VIEW = StepView("plants", panel=PlantsPanel, panel_first=True, overlay=_overlay, lanes=PlantLanes, lanes_title="Plants")
