"""From a snapshot to the scene that is rendered."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from reflexa.desktop.look import theme
from reflexa.desktop.picture import pictures
from reflexa.desktop.picture.manipulator import Manipulator
from reflexa.desktop.picture.overlay import NOTHING, Overlay, shown_marks
from reflexa.desktop.picture.posed import PosedFigure
from reflexa.desktop.picture.snapshot import Snapshot
from reflexa.draw import Figure, Scene
from reflexa.draw import figure as drawn
from reflexa.draw.scene import Colour, Lines, matrices_at, shapes_at
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.rig.masses import centre_of_mass
from reflexa.rig.stand_in import body_of

GHOST = 4  # frames from ghost to ghost


@dataclass(frozen=True)
class Pointing:
    """hot, hot_point: which part of the handle, and which point on the ground, is under the pointer or in the hand. near: joints
    whose marks the pointer calls up."""

    hot: int = -1
    hot_point: int = -1
    near: frozenset[str] = frozenset()


NOWHERE = Pointing()


def scene(seen: Snapshot, pointing: Pointing = NOWHERE, times: float = 1) -> Scene:
    """What a snapshot shows; strokes and marks ``times`` as large, for a larger picture."""
    t, look = theme.current(), seen.look
    all_ = NOTHING
    for f in seen.figures:
        all_ += _figure(f, seen, pointing.near)
    all_ += Overlay(lines=tuple(_history(seen)))
    all_ += seen.overlay(pointing.hot_point)
    if isinstance(seen.hold, Manipulator):
        lines, marks = seen.hold.handle.draw(seen.sight.camera, pointing.hot)
        all_ += Overlay(lines=(lines,), marks=(marks,))
    after = seen.after
    travels = after is not None and look.follow and not look.in_place and not seen.session.selection.rest_shown
    floor = after.offset if after is not None and travels else np.zeros(3)
    camera = seen.sight.camera
    ground = pictures.ground(np.array(camera.target) - floor, max(6.0, camera.distance * 2.2))
    ground = replace(ground, ends=ground.ends + floor, widths=ground.widths * times)
    strokes = tuple(replace(n, widths=n.widths * times) for n in all_.lines)
    marks_ = tuple(replace(m, sizes=m.sizes * times) for m in all_.marks)
    return Scene(t.sky, t.floor, t.shadow, ground, all_.figures, strokes, marks_)


def _figure(f: PosedFigure, seen: Snapshot, near: frozenset[str]) -> Overlay:
    """A figure with its bones and joints, as far as they are to be seen."""
    t, look = theme.current(), seen.look
    skin = body_of(f.rig) if look.mesh and not f.bare else ()
    tinted, alpha = 0.0 if f.role == "after" else 0.55, 0.42 if f.role == "pale" else 1.0
    figure = Figure(
        skin, matrices_at(f.clip, f.frame), t.before, tinted, alpha, f.role != "pale", shapes_at(f.clip, f.frame)
    )
    out = Overlay((pictures.moved(figure, f.offset),))
    if not look.joints and skin:
        return out
    colours = f.colours if f.role == "after" or f.by_kind else 0.5 * f.colours + 0.5 * np.array(t.before)
    faint = (0.75 if f.bare else 0.35) if f.role == "pale" else 0.9
    lines, marks = pictures.shifted(
        drawn.bones(f.rig, f.clip, f.frame, colours, faint * (0.55 if skin else 1.0)),
        drawn.joint_marks(f.rig, f.clip, f.frame, colours, faint, t.rgb("card")),
        f.offset,
    )
    marks = replace(marks, sizes=marks.sizes * _marked(f, seen, near))
    return out + Overlay(lines=(lines,), marks=() if f.role == "pale" else (marks,))


def _marked(f: PosedFigure, seen: Snapshot, near: frozenset[str]) -> Array:
    """How large joints are marked: all of them where joints are what is worked on, or nothing else is seen of the figure."""
    chosen = seen.session.selection
    bare = not (body_of(f.rig) and seen.look.mesh)
    every = seen.look.all_marks or chosen.painting or chosen.waiting is not None or bare
    shown = shown_marks(f, seen.sight, near | {chosen.joint}, every)
    return shown if not bare or seen.look.all_marks else shown * (drawn.usefulness(f.rig) > 0)


def _history(seen: Snapshot) -> list[Lines]:
    """Strokes of the figure some frames away, and the way of the selected joint through the clip."""
    session, after, clip = seen.session, seen.after, seen.session.computed.shown
    line, t = session.computed.evaluation, theme.current()
    if after is None or clip is None or line is None or session.selection.rest_shown:
        return []
    out: list[Lines] = []
    for by in (-2 * GHOST, -GHOST, GHOST, 2 * GHOST) if seen.look.ghosts else ():
        frame = session.player.frame + by
        if 0 <= frame < clip.frames:
            bones = drawn.bones(after.rig, clip, frame, after.colours, 0.42 if abs(by) == GHOST else 0.22)
            out.append(replace(bones, ends=bones.ends + after.offset))
    if seen.look.weight and session.computed.rig is not None:
        out += _weight(clip, session.computed.rig, session.player.frame, after.offset)
    joint = session.selection.joint
    if seen.look.trail and joint in clip.skeleton.index:
        # While a step is selected, its own before and after is what is looked at.
        source = (
            session.computed.below if session.step is not None and session.computed.below is not None else line.clips[0]
        )
        if source is not clip and joint in source.skeleton.index:
            places = source.model[1][:, source.skeleton.index[joint]] + after.offset
            out.append(_way(places, t.before, 1.6))
        places = clip.model[1][:, clip.skeleton.index[joint]] + after.offset
        out.append(_way(places, t.rgb("accent"), 2.6))
    return out


# Half the size of the mark on the ground below the centre of mass, metres.
_SPOT = 0.06


def _weight(clip: Clip, rig: Rig, frame: int, offset: Array) -> list[Lines]:
    """The way of the centre of mass through a clip, a line down from it, and a cross on the ground below."""
    track = centre_of_mass(clip, rig)
    if track is None:
        return []
    colour = theme.current().rgb("warn")
    at = track[min(frame, clip.frames - 1)] + offset
    spot = at * [1.0, 0.0, 1.0]
    aside, ahead = np.array([_SPOT, 0.0, 0.0]), np.array([0.0, 0.0, _SPOT])
    ends = np.stack([[at, spot], [spot - aside, spot + aside], [spot - ahead, spot + ahead]])
    mark = Lines(ends, np.full((3, 2), 2.6), np.tile([*colour, 0.9], (3, 1)), on_top=True)
    return [_way(track + offset, colour, 1.6), mark] if clip.frames > 1 else [mark]


def _way(places: Array, colour: Colour, wide: float) -> Lines:
    """A joint's way through a clip as strokes; every fifth frame is marked by a wider one."""
    ends = np.stack([places[:-1], places[1:]], axis=1)
    widths = np.where(np.arange(len(ends)) % 5 == 0, 2.2 * wide, wide)[:, None] * np.ones(2)
    rgba = np.tile([*colour, 0.9], (len(ends), 1))
    return Lines(ends, widths, rgba, on_top=True)
