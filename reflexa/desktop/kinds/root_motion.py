"""Root motion: the way over the ground from above, drawn and edited; the pace along it; and what it came to in numbers."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from reflexa.desktop.kinds.model import GroundPoints, Moment, StepView
from reflexa.desktop.kinds.pace_picture import PacePicture
from reflexa.desktop.kinds.path_picture import PathPicture
from reflexa.desktop.look import theme
from reflexa.desktop.picture.overlay import NOTHING, Overlay
from reflexa.desktop.picture.view import Sight
from reflexa.desktop.settings.joint_table import JointTable, Row
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.folding import Folding
from reflexa.draw.scene import DOT, Lines, Marks
from reflexa.motion import travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session import Session, line
from reflexa.steps.root_motion import Report, RootMotionReport, RootMotionSettings, own_way, travel_of
from reflexa.words import length, plain

# Ctrl keeps points of the path to these metres.
SNAP = 0.05


def settings_of(session: Session) -> RootMotionSettings | None:
    """The selected root motion's settings."""
    settings = session.step.settings if session.step is not None else None
    return settings if isinstance(settings, RootMotionSettings) else None


class RootPanel(StepPanel):
    """The pictures, the buttons beside them, and the report."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.picture = PathPicture(session)
        self.column.addWidget(self.picture)
        self.buttons = QWidget()
        row = QHBoxLayout(self.buttons)
        row.setContentsMargins(0, 0, 0, 0)
        self.trace = QPushButton("Start from its own path")
        self.trace.setToolTip("Creates a few points along the current travel of the clip, which you can edit")
        self.trace.clicked.connect(self._own_way)
        self.clear = QPushButton("Clear")
        self.clear.setToolTip("Remove all points of the path")
        self.clear.clicked.connect(lambda: self.picture.put([]))
        row.addWidget(self.trace, 1)
        row.addWidget(self.clear)
        self.column.addWidget(self.buttons)
        self.pace = PacePicture(session)
        self.column.addWidget(self.pace)
        report = QWidget()
        facts = QVBoxLayout(report)
        facts.setContentsMargins(0, 0, 0, 0)
        self.said = QLabel(wordWrap=True)
        facts.addWidget(self.said)
        self.table = JointTable(session, "Stances", ["Foot", "frames", "even cm", "slides cm", "m/s"])
        self.table.setToolTip(
            "Per contact: how evenly the foot moves back under the figure, how far it slides, and how fast it "
            "moves back.\nThe more these speeds differ, the less reliable is a speed derived from the feet."
        )
        facts.addWidget(self.table)
        self.column.addWidget(Folding("How it travels", "travel", report))
        self.add_root = QPushButton("Add a root joint")
        self.add_root.setToolTip("Adds a step before this one that adds a root joint below the pelvis")
        self.add_root.clicked.connect(lambda: line.insert(session, max(session.index, 0), "root-joint"))
        self.column.addWidget(self.add_root)
        self._shown: object = None

    def refresh(self) -> None:
        session, settings = self.session, settings_of(self.session)
        if settings is None:
            return
        along, rig = settings.operation == "along path", session.computed.step_rig
        self.buttons.setVisible(along)
        self.pace.setVisible(along and settings.walked == "to its end")
        lacks_root = rig is not None and rig.joint("root") < 0
        self.add_root.setVisible(lacks_root and settings.operation in ("from pelvis", "hand back", "from feet"))
        report = session.computed.report
        if session.computed.step_problem:
            self.said.setText(session.computed.step_problem)
        elif isinstance(report, RootMotionReport) and rig is not None and report is not self._shown:
            self._shown = report
            self.picture.show_ways(report.way_before, report.way_after, _rate(session))
            self.pace.show_speed(report.speed)
            self.said.setText("\n".join([*report.now.lines(), _as_before(report.was)]))
            self._show_stances(report.now, rig)
        self.picture.update()
        self.pace.update()

    def _show_stances(self, now: Report, rig: Rig) -> None:
        rows: list[Row] = []
        for s in now.stances:
            name = rig.skeleton.names[rig.joint(f"{s.side} foot")]
            texts = (s.side, f"{s.first}–{s.last}", f"{s.linear / 10:.2f}", f"{s.slide / 10:.2f}", f"{s.speed:.2f}")
            tip = f"{s.side} foot, frames {s.first} to {s.last}: even to within {s.linear:.1f} mm, slides {s.slide:.1f} mm, "
            tip += f"moves back at {s.speed:.2f} m/s"
            rows.append((texts, tip, name, s.first))
        self.table.setVisible(bool(rows))
        self.table.show_rows(rows, most=6)

    def _own_way(self) -> None:
        below, rig = self.session.computed.below, self.session.computed.below_rig
        if below is not None and rig is not None:
            self.picture.put(list(own_way(below, rig)))


def _rate(session: Session) -> float:
    return session.computed.below.rate if session.computed.below is not None else 30.0


def _as_before(was: Report) -> str:
    """What it was before the step, in words."""
    slide = max((s.slide for s in was.stances), default=0.0) / 10
    return (
        f"Before: {length(was.distance)}, {plain(was.average, 2)} m/s, {plain(was.heading, 1, '+')}°, "
        f"sliding up to {length(slide / 100)}."
    )


# Picture --------------------------------------------------------------------------------------------------------


def _overlay(moment: Moment, sight: Sight, hot: int) -> Overlay:
    out = Overlay(lines=(_way_over_ground(moment.clip, moment.rig, sight.shift),))
    path = _path(moment.session)
    return out + (_drawn_path(path, sight.shift, hot) if path else NOTHING)


def _way_over_ground(clip: Clip, rig: Rig, by: Array) -> Lines:
    """How the figure travels, as a line on the ground with a tick every ten frames."""
    t = travel_of(clip, rig)
    flat = np.stack([t.place[:, 0], np.full(len(t.place), 0.003), t.place[:, 1]], axis=-1) + by
    at = np.arange(0, clip.frames, 10)
    side = np.stack([np.cos(t.heading[at]), np.zeros(len(at)), -np.sin(t.heading[at])], axis=-1) * 0.05
    ticks = np.stack([flat[at] - side, flat[at] + side], axis=1)
    ends = np.concatenate([np.stack([flat[:-1], flat[1:]], axis=1), ticks])
    rgba = np.tile([*theme.current().rgb("accent"), 0.9], (len(ends), 1))
    return Lines(ends, np.full((len(ends), 2), 2.6), rgba)


def _drawn_path(points: tuple[tuple[float, float], ...], by: Array, hot: int) -> Overlay:
    """A path as it is drawn: the curve, and a mark at each of its points."""
    accent = theme.current().rgb("accent")
    p = np.array([(x, 0.004, z) for x, z in points]).reshape(-1, 3) + by
    sizes = np.where(np.arange(len(p)) == hot, 18.0, 13.0)
    marks = Marks(p, sizes, np.full(len(p), DOT), np.tile([*accent, 1.0], (len(p), 1)))
    try:
        path = travel.Path(points)
    except ValueError:
        return Overlay(marks=(marks,))
    flat = path.at(np.linspace(0, path.length, 96))[0]
    way = np.stack([flat[:, 0], np.full(96, 0.004), flat[:, 1]], axis=-1) + by
    ends = np.stack([way[:-1], way[1:]], axis=1)
    return Overlay(lines=(Lines(ends, np.full((95, 2), 2.0), np.tile([*accent, 0.55], (95, 1))),), marks=(marks,))


def _path(session: Session) -> tuple[tuple[float, float], ...] | None:
    """The path of the selected root motion, where it follows one."""
    settings = settings_of(session)
    return settings.path if settings is not None and settings.operation == "along path" else None


def _move(session: Session, index: int, place: tuple[float, float], snap: bool) -> None:
    settings, path = settings_of(session), _path(session)
    if settings is None or path is None or not 0 <= index < len(path):
        return
    x, z = (round(v / SNAP) * SNAP if snap else round(v, 4) for v in place)
    path = (*path[:index], (x, z), *path[index + 1 :])
    line.edit_settings(session, "draw the path", replace(settings, path=path), "path")


VIEW = StepView(
    "root-motion",
    also="path in place travel trajectory locomotion drift",
    panel=RootPanel,
    overlay=_overlay,
    ground=GroundPoints(_path, _move),
)
