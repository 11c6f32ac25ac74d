"""Goals: when they act, where the target is taken from, how far the limb is from it; the target pulled in the picture."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PySide6.QtWidgets import QLabel, QPushButton

from reflexa.desktop.kinds.model import Moment, StepView
from reflexa.desktop.look import theme
from reflexa.desktop.picture.handle import handle_at
from reflexa.desktop.picture.manipulator import SNAP_MOVE, Drag, Manipulator, snapped
from reflexa.desktop.picture.overlay import NOTHING, Overlay
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.props import grip_marks
from reflexa.desktop.picture.view import Sight
from reflexa.desktop.settings.span_rows import SpanRows
from reflexa.desktop.settings.step_panel import StepPanel
from reflexa.desktop.widgets.qt_properties import named
from reflexa.draw.scene import DIAMOND, Marks
from reflexa.errors import RecipeError
from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.motion.clip import Clip
from reflexa.motion.curves import put_in
from reflexa.session import Session, line
from reflexa.stage import Stage
from reflexa.stage.model import between_keys, degrees_of, turn_of
from reflexa.steps import Step, kind_of
from reflexa.steps.reach import ReachReport, ReachSettings, TargetKey, meets_with, target_of


def settings_of(session: Session) -> ReachSettings | None:
    """The settings of the selected step."""
    settings = session.step.settings if session.step is not None else None
    return settings if isinstance(settings, ReachSettings) else None


# Panel ----------------------------------------------------------------------------------------------------------


class ReachPanel(StepPanel):
    """When, where from, how near."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.here = QPushButton("Set the target to the limb's place")
        self.here.setToolTip("Moves the target to the palm, sole or joint at the playhead")
        self.here.clicked.connect(self._here)
        self.column.addWidget(self.here)
        self.column.addWidget(named(QLabel("When, in frames"), "section"))
        self.when = SpanRows(session, "spans")
        self.column.addWidget(self.when)
        self.said = QLabel(wordWrap=True)
        self.column.addWidget(self.said)

    def _here(self) -> None:
        session, settings = self.session, settings_of(self.session)
        below, rig = session.computed.below, session.computed.below_rig
        if settings is None or below is None or rig is None:
            return
        joint = rig.joint_called(settings.limb)
        if joint < 0:
            return
        frame = min(session.player.frame, below.frames - 1)
        turned, place = below.model[0][frame, joint], below.model[1][frame, joint]
        at = vector((place + quat.rotate(turned, meets_with(rig, settings))).round(4))
        if settings.to == "keyed":
            new = replace(settings, keys=put_in(settings.keys, TargetKey(frame, at)))
        else:
            new = replace(settings, to="point", point=at)
        line.edit_settings(session, "set the target here", new)

    def refresh(self) -> None:
        session, settings = self.session, settings_of(self.session)
        if settings is None:
            return
        self.when.refresh()
        self.here.setVisible(settings.to in ("point", "keyed") and settings.limb != "head")
        report = session.computed.report
        if session.computed.step_problem:
            self.said.setText(session.computed.step_problem)
        elif isinstance(report, ReachReport):
            self.said.setText(_said(report, _later(session, settings)))


def _later(session: Session, settings: ReachSettings) -> list[Step]:
    """Later steps that take the limb over."""
    take, own = session.take, session.step
    if take is None or own is None:
        return []
    overrules = kind_of(own.kind).overrules
    after = take.steps[session.index + 1 :]
    same = [s for s in after if s.acts and s.kind == own.kind]
    return [s for s in same if overrules is not None and overrules(settings, s.settings)]


def _said(report: ReachReport, later: list[Step]) -> str:
    if not report.ever:
        return "It never acts fully: no frame lies between full and until."
    text = f"Distance to the target: {report.was:.1f} {report.unit} before, {report.now:.2f} {report.unit} now."
    if report.short:
        text += f" Out of reach, most at frame {report.worst}: the limb is stretched towards it."
    if later:
        text += f" Where {later[-1].name} acts too, it takes precedence because it comes later."
    return text


# Picture --------------------------------------------------------------------------------------------------------


def _place(settings: ReachSettings, clip: Clip, stage: Stage, frame: int) -> Array | None:
    """Where a target is at a frame ``(3,)``; None where it has none."""
    try:
        return np.asarray(target_of(clip, settings, stage).place[frame])
    except RecipeError:
        return None


def _overlay(moment: Moment, sight: Sight, _hot: int) -> Overlay:
    """A mark where the target is, and one at every grip that it could go to."""
    session = moment.session
    settings = settings_of(session)
    grips = Overlay(marks=(grip_marks(session.stage, moment.clip, moment.frame, sight.shift),))
    at = _place(settings, moment.clip, session.stage, moment.frame) if settings is not None else None
    if at is None:
        return grips
    accent = theme.current().rgb("accent")
    mark = Marks((at + sight.shift)[None], np.array([18.0]), np.array([DIAMOND]), np.array([[*accent, 1.0]]))
    return (grips if settings is not None else NOTHING) + Overlay(marks=(mark,))


def _hold(session: Session, sight: Sight, _figure: PosedFigure) -> Manipulator | None:
    """The target's handle, where it is a place of its own and no joint but its own limb's is in hand."""
    settings, rig, clip, joint = (
        settings_of(session),
        session.computed.step_rig,
        session.computed.shown,
        session.selection.joint,
    )
    if settings is None or settings.to not in ("point", "keyed") or rig is None or clip is None:
        return None
    if session.selection.rest_shown or not (joint in ("", settings.limb) or rig.part_of(joint) == settings.limb):
        return None
    at = _place(settings, clip, session.stage, min(session.player.frame, clip.frames - 1))
    if at is None:
        return None
    handle = handle_at(at + sight.shift, np.array(quat.IDENTITY), sight, True)
    return Manipulator(handle, "the target", lambda: _drag(session, settings, at))


def _drag(session: Session, settings: ReachSettings, place: Array) -> Drag:
    frame = session.player.frame
    began = np.array(settings.turn)
    if settings.to == "keyed":
        before = [k for k in settings.keys if k.frame <= frame] or list(settings.keys[:1])
        began = np.array(before[-1].turn if before else (0.0, 0.0, 0.0))

    def move(by: Array, snap: bool) -> Array:
        to = place + by
        to = np.round(to / SNAP_MOVE) * SNAP_MOVE if snap else to
        line.edit_settings(session, "move the target", _moved(settings, frame, vector(to.round(9)), None), "hold")
        return np.asarray(to - place)

    def turn(axis: int, degrees: float, snap: bool) -> float:
        degrees = snapped(degrees, snap)
        turned = degrees_of(quat.multiply(quat.about(axis, np.radians(degrees)), turn_of(began)))
        line.edit_settings(session, "rotate the target", _moved(settings, frame, None, turned), "hold")
        return degrees

    return Drag(turn, move)


def _moved(settings: ReachSettings, frame: int, place: Vector | None, turn: Vector | None) -> ReachSettings:
    """The settings with the target elsewhere: as a whole, or with a key at the frame."""
    if settings.to == "point":
        return replace(settings, point=place or settings.point, turn=turn or settings.turn)
    before = [k for k in settings.keys if k.frame <= frame] or list(settings.keys[:1])
    base = before[-1] if before else TargetKey(frame, (0.0, 1.0, 0.5))
    here = place or vector(between_keys(settings.keys or (base,), [frame])[1][0])
    return replace(settings, keys=put_in(settings.keys, TargetKey(frame, here, turn or base.turn)))


_MORE = frozenset({"offset", "soft", "neck", "spine", "most"})
VIEW = StepView(
    "reach",
    also="ik target hand look aim constraint goal",
    panel=ReachPanel,
    more=_MORE,
    overlay=_overlay,
    hold=_hold,
    acts_on="end",
)
