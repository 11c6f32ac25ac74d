"""Which figures the picture shows, in which pose, where, and in which colours."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.desktop.kinds import view_of
from reflexa.desktop.picture import colours
from reflexa.desktop.picture.posed import PosedFigure, Role
from reflexa.desktop.picture.view import Look
from reflexa.draw import Camera
from reflexa.motion import cycle
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip, rest_clip
from reflexa.rig import Rig
from reflexa.session import Session

_STILL = np.zeros(3)


def figures(session: Session, look: Look, camera: Camera) -> tuple[PosedFigure, ...]:
    """Every figure to draw, the one that can be worked on first."""
    if session.selection.rest_shown:
        return _rest(session)
    compared = _before(session, look)
    if session.computed.shown is None or session.computed.rig is None or compared is None:
        source = session.evaluator.source
        if source is None:
            return ()
        frame = min(session.player.frame, source.clip.frames - 1)
        return (_posed(session, "before", source.clip, source.rig, frame, source.name),)
    if look.mode == "Before":
        return (compared,)
    after = _after(session, look, session.computed.shown, session.computed.rig)
    if look.differences:
        after = replace(after, colours=colours.by_difference(after, compared), by_kind=True)
    if look.mode in ("Both", "One step"):
        return after, replace(compared, role="pale", offset=after.offset)
    if look.mode == "Side by side":
        right = camera.axes[0]
        # Far enough apart for arms held out, as rest poses have them.
        wide = max(0.32 * max(after.rig.height, compared.rig.height), 0.15)
        apart = right / max(float(np.hypot(right[0], right[2])), 1e-6) * wide
        return replace(after, offset=after.offset + apart), replace(compared, offset=compared.offset - apart)
    return (after,)


def _after(session: Session, look: Look, clip: Clip, rig: Rig) -> PosedFigure:
    """The figure at the view point: as a hand makes it just now, and going on where a loop is played again and again."""
    frame = min(session.player.frame, clip.frames - 1)
    posed = _posed(session, "after", clip, rig, frame)
    preview, rounds = session.evaluator.preview, session.player.rounds
    if preview is not None:
        return replace(posed, clip=preview, frame=0, offset=_offset(look, clip, rig, posed.placed))
    if rounds and clip.loop and session.computed.range == (0, clip.frames - 1):
        posed = replace(posed, clip=cycle.after_rounds(clip, rig.travel_joint, frame, rounds), frame=0)
    return replace(posed, offset=_offset(look, clip, rig, posed.placed))


def _before(session: Session, look: Look) -> PosedFigure | None:
    """What it is compared with: the source, what stands before the selected step, or another take's result."""
    line, other = session.computed.evaluation, session.evaluator.other
    if line is None:
        return None
    clip, rig, name = line.clips[0], line.rigs[0], "Before"
    at, seen = line.take.index(session.selection.card), line.after(session.selection.view_point)
    frame = line.moment(session.player.frame, seen, 0)
    if (look.step_held or look.mode == "One step") and at >= 0:
        clip, rig, name = line.clips[at], line.rigs[at], "Before the step"
        frame = line.moment(session.player.frame, seen, at)
    elif other is not None:
        clip, rig, name = other.clip, other.rig, other.name
        frame = session.player.frame
    posed = _posed(session, "before", clip, rig, min(frame, clip.frames - 1), name)
    return replace(posed, offset=_offset(look, clip, rig, posed.placed))


def _posed(session: Session, role: Role, clip: Clip, rig: Rig, frame: int, label: str = "After") -> PosedFigure:
    painted = _painted(session, rig)
    by_kind = painted is not None
    shades = painted if painted is not None else colours.by_side(rig)
    return PosedFigure(clip, frame, role, _STILL, rig, shades, by_kind, label=label)


def _offset(look: Look, clip: Clip, rig: Rig, placed: Array) -> Array:
    """What is added to show a figure in place (or to bring it to where the camera stays) ``(3,)``."""
    if not (look.in_place or look.follow):
        return _STILL
    by = clip.model[1][0, rig.travel_joint] - placed[rig.travel_joint]
    return np.array([by[0], 0.0, by[2]])


def _painted(session: Session, rig: Rig) -> Array | None:
    """Colours of joints that the selected step asks for: by weight while its mask is painted, else its kind's own."""
    step, own = session.step, session.computed.step_rig
    if step is None:
        return None
    if session.selection.painting and own is not None and own.key == rig.key:
        try:
            weights = np.ones(len(rig.skeleton)) if step.mask is None else step.mask.weights(rig)
        except KeyError:
            weights = np.zeros(len(rig.skeleton))
        return colours.by_weight(rig, weights)
    view = view_of(step.kind)
    return view.colours(session, rig) if view.colours is not None else None


def _rest(session: Session) -> tuple[PosedFigure, ...]:
    """The neutral pose; what the selected step's kind shows instead, where it shows something."""
    view = view_of(session.step.kind) if session.step is not None else None
    own = view.rest(session) if view is not None and view.rest is not None else None
    if own is not None:
        return tuple(own)
    rig = session.computed.rig
    if rig is None:
        return ()
    return (PosedFigure(rest_clip(rig.neutral), 0, "after", _STILL, rig, colours.by_side(rig), label="Rest pose"),)
