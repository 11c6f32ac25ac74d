"""What a hand does to the figure and the stage in the picture."""

from __future__ import annotations

import msgspec
import numpy as np
from PySide6.QtCore import QPointF

from reflexa.desktop import stage_hand
from reflexa.desktop.handle import RODS, SWING, Handle, handle_at
from reflexa.desktop.session import RESULT_CARD
from reflexa.desktop.shown import retarget_match
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.rig.match import Match
from reflexa.rig.notes import notes_of, set_fit
from reflexa.steps.correction import CorrectionSettings, Vector, aim_point, set_key, track_at, usual_track

SNAP = 5.0  # degrees
SNAP_MOVE = 0.01  # metres


class Hands:
    """Part of the viewport: what a hand does to the figure and the stage in the picture."""

    def handle(self) -> Handle | None:
        """The hoops about the selected joint: where a correction (or a fit of the rest pose) can be made to what is shown."""
        session = self.session
        on_stage = stage_hand.handle(session, self.camera, self.height(), self.world_shift())
        if on_stage is not None:
            return on_stage
        shown = self.figures()
        if not shown or session.playing or session.joint not in shown[0].rig.skeleton.index:
            return None
        if self.before_held or self.compare == "Before" or self.why_no_handle():
            return None
        f = shown[0]
        joint = f.rig.skeleton.index[session.joint]
        axes = np.array(quat.IDENTITY)
        track = usual_track(session.correction or CorrectionSettings(), f.rig, session.joint)
        if not session.rest_shown:
            if track.space == "own":
                axes = f.clip.model[0][f.frame, joint]
            elif track.space == "parent" and f.rig.skeleton.parents[joint] >= 0:
                axes = f.clip.model[0][f.frame, f.rig.skeleton.parents[joint]]
        drives = track.drives
        moves = drives != "joint" and not session.rest_shown
        grip = bend = None
        if moves and drives == "aim":
            grip = aim_point(f.rig, f.clip.model[0][f.frame, joint], f.placed[joint])
        elif moves and drives == "limb" and (limb := f.rig.limb(f.rig.part_of(session.joint))) is not None:
            bend = f.placed[list(limb)]
        return handle_at(f.placed[joint], axes, self.camera, self.height(), moves, grip, bend)

    def why_no_handle(self) -> str:
        """Why the selected joint cannot be turned in this picture, or an empty text."""
        session = self.session
        take = session.take
        if session.rest_shown:
            return "" if retarget_match(session) is not None else "the rest pose is only looked at"
        if take is None or session.evaluation is None:
            return "no take is open"
        if session.painting:
            return "a mask is being painted"
        if session.step is not None and session.step.kind == "retarget":
            return "show the rest pose to fit the rigs"
        if session.correction is None:
            return "" if session.tap == RESULT_CARD else "the picture shows the middle of the line"
        later = [s for s in take.steps[session.card + 1 :] if s.on and s.weight]
        if session.stage_of(session.tap) != session.card + 1 and later:
            return "later steps change what this correction does"
        return ""

    def _begin_turn(self, axis: int, at: QPointF) -> None:
        session = self.session
        handle = self.handle()
        if handle is None:
            return
        if stage_hand.says(session):
            self._begin_on_stage(axis, at, handle)
            return
        now = np.zeros(7)
        if session.rest_shown:
            m = retarget_match(session)
            assert m is not None
            now[:3] = m.target.fits.get(m.source.key, {}).get(session.joint, (0.0, 0.0, 0.0))
            start: CorrectionSettings | Match = m
        else:
            if session.correction is None:
                session.add_step("correction", f"Correct {session.joint}")
            settings = session.begun_correction()
            assert settings is not None
            track = settings.track(session.joint)
            if track.keys:
                now = np.concatenate([np.ravel(v) for v in track_at(track, np.array([session.frame]))])
            start = settings
        way = np.zeros(2)
        if axis < RODS:
            way = handle.tangent(axis, at.x(), at.y(), self.camera, self.width(), self.height())
        elif axis == SWING:
            way = handle.swing_tangent(self.camera, self.width(), self.height())
        self._held = handle
        self._grab = (axis, way, at)
        self._start = (start, now)
        self._turned = 0.0

    def _begin_on_stage(self, axis: int, at: QPointF, handle: Handle) -> None:
        way = np.zeros(2)
        if axis < RODS:
            way = handle.tangent(axis, at.x(), at.y(), self.camera, self.width(), self.height())
        self._in_hand = stage_hand.take_hold(self.session)
        if self._in_hand is not None:
            self._held, self._grab, self._turned = handle, (axis, way, at), 0.0

    def _turn(self, at: QPointF, snap: bool) -> None:
        assert self._grab is not None
        session = self.session
        axis, way, start = self._grab
        by = np.array([at.x() - start.x(), at.y() - start.y()])
        if self._in_hand is not None and self._held is not None:
            if axis < RODS:
                angle = float(np.degrees(by @ way / (way @ way)))
                self._turned = stage_hand.turn(session, self._in_hand, axis, angle, snap)
            else:
                moved = self._held.moved(axis, by, self.camera, self.height())
                self._turned = float(np.linalg.norm(moved)) * 100
                stage_hand.move(session, self._in_hand, moved, snap)
            return
        assert self._start is not None
        what, now = self._start
        if RODS <= axis < SWING:
            self._move(axis, by, snap)
            return
        self._turned = float(np.degrees(by @ way / (way @ way)))
        if snap:
            self._turned = round(self._turned / SNAP) * SNAP
        if axis == SWING:
            assert isinstance(what, CorrectionSettings)
            self._key(what, f"swing {session.joint}", swing=float(now[6] + self._turned))
            return
        change = quat.about(axis, np.radians(self._turned))
        before = quat.from_rotvec(np.radians(now[:3]))
        rig = session.step_rig
        own = (
            isinstance(what, CorrectionSettings)
            and rig is not None
            and usual_track(what, rig, session.joint).space == "own"
        )
        v = np.degrees(quat.to_rotvec(quat.multiply(before, change) if own else quat.multiply(change, before)))
        rotate = (float(v[0]), float(v[1]), float(v[2]))
        if isinstance(what, Match):
            notes = set_fit(notes_of(what.target), what.source.key, session.joint, rotate)
            session.edit_rig(f"fit {session.joint}", what.target, notes, merge="turn")
            return
        self._key(what, f"turn {session.joint}", rotate=rotate)

    def _move(self, grabbed: int, by: Array, snap: bool) -> None:
        """A rod or the hub is pulled: the change is keyed in the track's own space."""
        assert self._start is not None and self._held is not None
        settings, now = self._start
        assert isinstance(settings, CorrectionSettings)
        world = self._held.moved(grabbed, by, self.camera, self.height())
        if snap:
            world = np.round(world / SNAP_MOVE) * SNAP_MOVE
        self._turned = float(np.linalg.norm(world)) * 100
        rig = self.session.step_rig
        assert rig is not None
        space = usual_track(settings, rig, self.session.joint).space
        change = world if space == "world" else quat.rotate(quat.conjugate(self._held.axes), world)
        v = now[3:6] + change
        self._key(settings, f"move {self.session.joint}", move=(float(v[0]), float(v[1]), float(v[2])))

    def _key(self, settings: CorrectionSettings, label: str, **values: Vector | float) -> None:
        session = self.session
        step, rig = session.step, session.step_rig
        assert step is not None and rig is not None
        track = usual_track(settings, rig, session.joint)
        new = set_key(
            settings, session.joint, session.frame, session.frames - 1, drives=track.drives, stay=track.stay,
            space=track.space, **values,
        )  # fmt: skip
        session.edit_correction(label, new, merge="turn")
        session.preview_step(msgspec.structs.replace(step, settings=new))
        session.select_keys({(session.joint, session.frame)})
