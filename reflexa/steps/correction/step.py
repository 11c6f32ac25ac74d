"""The correction step: keyed changes added to the motion, or put in its place."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.cuts import timing_of
from reflexa.motion.limbs import Posed, look, reach, reach_chain, swing, turn_about, widened
from reflexa.motion.mixing import mixed
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig
from reflexa.rig.limbs import hinges, limb_of
from reflexa.steps.correction.body import move_body
from reflexa.steps.correction.sampling import Closing, track_at
from reflexa.steps.correction.settings import CorrectionSettings, Space, Track
from reflexa.steps.model import Given

# A body handle that lacks less than this of its way is not worth a word, metres.
_TOLD = 0.002
_ENDS: dict[str, tuple[str, str]] = {"feet": ("left foot", "right foot"), "hands": ("left hand", "right hand")}
_ORDER = {"body": 0, "joint": 1, "chain": 2, "limb": 2, "aim": 2}
NECK = 0.35  # what the neck does of a turn of the head


@dataclass(frozen=True)
class HeldBack:
    """A body handle that did not get as high as it was pulled, since legs that stay would be stretched: joint, the frame
    (of the take) at which it lacks the most, and how much, metres."""

    joint: str
    frame: int
    metres: float


@dataclass(frozen=True, eq=False)
class Corrected:
    """The clip with the changes, and body handles that were held back."""

    clip: Clip
    held_back: tuple[HeldBack, ...]


def correct(clip: Clip, rig: Rig, settings: CorrectionSettings, first: int = 0) -> Clip:
    """The clip with the keyed changes at full weight, as ``corrected`` has it. first: number of the clip's first frame."""
    return corrected(Given(clip, rig, first), settings).clip


def corrected(given: Given, settings: CorrectionSettings) -> Corrected:
    """Add the keyed changes, or replace the motion of their joints. Frames (of a layer that adds) and joints without a
    change stay bit for bit as they were. Half of a change is half the turn and half the way, and what follows from it.

    The body comes first, then single joints, parents before children, then limbs; changes in world space are meant in
    the world as it is then. A track for a joint that the rig lacks is passed over (``missing`` names it), and so is
    a limb that it does not have whole. A layer that replaces moves each joint alone.
    """
    clip = given.clip
    skeleton = clip.skeleton
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    at = np.arange(given.first, given.first + clip.frames)
    closing = Closing(0, 0)
    if settings.cycle:
        settings, at = repeated(settings, at)
    elif clip.loop and settings.how == "add":
        closing = Closing((given.whole or clip).frames - 1, settings.falloff)
    known = [t for t in settings.tracks if t.joint in skeleton.index and t.keys]
    if settings.how == "replace":
        known = [replace(t, drives="joint") for t in known]
        joints = [skeleton.index[t.joint] for t in known]
        rotations[:, joints] = skeleton.rest_rotations[joints]
        translations[:, joints] = skeleton.rest_translations[joints]
    held_back: list[HeldBack] = []
    for track in sorted(known, key=lambda t: (_ORDER[t.drives], skeleton.index[t.joint])):
        joint = skeleton.index[track.joint]
        # A layer that replaces is mixed with what it replaces in the end; changes are made smaller, and carried out whole.
        share = 1.0 if settings.how == "replace" else given.share(joint)[:, None]
        rotate, move, swinging = (v * share for v in _columns(track, at, closing))
        if track.drives != "joint":
            held_back += _drive(given, (rotations, translations), track, (rotate, move, swinging[:, 0]))
            continue
        turning = np.flatnonzero(np.any(rotate != 0, axis=1))
        moving = np.flatnonzero(np.any(move != 0, axis=1))
        if len(moving):
            v = _in_parent(skeleton, rotations, joint, moving, move[moving], track.space)
            translations[moving, joint] += v
        if len(turning):
            d = quat.from_rotvec(np.radians(rotate[turning]))
            q = rotations[turning, joint]
            if track.space == "own":
                new = quat.multiply(q, d)
            elif track.space == "parent":
                new = quat.multiply(d, q)
            else:
                above = _model_rotation(skeleton, rotations, int(skeleton.parents[joint]), turning)
                new = quat.multiply(quat.multiply(quat.multiply(quat.conjugate(above), d), above), q)
            rotations[turning, joint] = quat.shortest(quat.normalise(new), q)
    out = clip.with_motion(owned(rotations), owned(translations))
    if settings.how == "replace" and (given.weight is not None or given.mask is not None):
        out = mixed(clip, out, np.stack([np.minimum(given.share(j), 1.0) for j in range(len(skeleton))], axis=-1))
    return Corrected(out, tuple(held_back))


def _columns(track: Track, at: NDArray[np.intp], closing: Closing) -> tuple[Array, Array, Array]:
    rotate, move, swinging = track_at(track, at, closing)
    return rotate, move, swinging[:, None]


def repeated(settings: CorrectionSettings, at: NDArray[np.intp]) -> tuple[CorrectionSettings, NDArray[np.intp]]:
    """A layer on its own cycle: the settings with every track closed, and the frames ``(n,)`` as they fall into it.

    A cycle begins with the layer's first key. Keys beyond its end do not count; on its end each track has the value
    that it began with, so that nothing can drift from round to round.
    """
    starts = [t.keys[0].frame for t in settings.tracks if t.keys]
    if not starts:
        return settings, at
    start = min(starts)
    closed = []
    for track in settings.tracks:
        keys = [k for k in track.keys if k.frame < start + settings.cycle]
        if keys:
            keys.append(replace(keys[0], frame=keys[0].frame + settings.cycle))
            if keys[0].frame > start:  # begun later than others: until then the round before goes on
                keys.insert(0, replace(keys[-2], frame=keys[-2].frame - settings.cycle))
        closed.append(replace(track, keys=tuple(keys)))
    return replace(settings, tracks=tuple(closed)), start + (at - start) % settings.cycle


def aim_point(rig: Rig, turned: Array, placed: Array) -> Array:
    """The point ``(…, 3)`` that a head looks at, half the figure's height ahead of it. turned, placed: the head's."""
    return np.asarray(placed + 0.5 * rig.height * quat.rotate(turned, rig.looking))


def _drive(
    given: Given, motion: tuple[Array, Array], track: Track, change: tuple[Array, Array, Array]
) -> list[HeldBack]:
    """Carry out a track that moves a limb or the body, in the local rotations and translations given, at the frames that it
    changes. change: turns in degrees and moves in metres ``(frames, 3)``, swings in degrees ``(frames,)``."""
    clip, rig, skeleton = given.clip, given.rig, given.clip.skeleton
    rotations, translations = motion
    rotate, move, swinging = change
    frames = np.flatnonzero(np.any(rotate != 0, axis=1) | np.any(move != 0, axis=1) | (swinging != 0))
    part = rig.part_of(track.joint)
    l = limb_of(rig, part) if track.drives == "limb" else None
    line = rig.chain_to(track.joint) if track.drives == "chain" else []
    if len(frames) == 0 or (track.drives == "limb" and l is None) or (track.drives == "chain" and not line):
        return []
    local = rotations[frames]  # a copy: what stays as it was is written nowhere
    scales = None if clip.scales is None else clip.scales[frames]
    turned, placed = kinematics.forward(skeleton.parents, local, translations[frames], scales)
    posed = Posed(skeleton, turned, placed, local, set())
    j = skeleton.index[track.joint]
    turn, shift = _in_model(posed, j, quat.from_rotvec(np.radians(rotate[frames])), move[frames], track.space)
    below = np.array(skeleton.below(j), dtype=np.intp)
    held_back = np.zeros(len(frames))
    if l is not None:
        reach(posed, l, placed[:, j] + shift, _hinges(given, part, frames))
        swing(posed, l, np.radians(swinging[frames]))
        turn_about(posed, l.beyond, posed.placed[:, j].copy(), turn)
        posed.dirty.add(j)
    elif track.drives == "aim":
        goal = aim_point(rig, turned[:, j], placed[:, j]) + shift
        neck = [k for n in rig.body_map.get("neck", ()) if j in skeleton.below(k := skeleton.index[n]) and k != j]
        look(posed, [*neck, j], [NECK / (len(neck) - i) for i in range(len(neck))], rig.looking, goal)
        turn_about(posed, below, posed.placed[:, j].copy(), turn)
    elif line:
        reach_chain(posed, line, placed[:, j] + shift)
        turn_about(posed, below, posed.placed[:, j].copy(), turn)
    else:
        hinges_of = {p: _hinges(given, p, frames) for ends in track.stay for p in _ENDS[ends] if limb_of(rig, p)}
        held_back = move_body(posed, rig, j, (turn, shift), hinges_of, partial(_spread, given, frames))
        translations[frames, j] = posed.translation(j)
    after = posed.rotations()
    for k in posed.dirty:
        rotations[frames, k] = quat.shortest(quat.normalise(after[:, k]), rotations[frames, k])
    worst = int(np.argmax(held_back))
    if held_back[worst] < _TOLD:
        return []
    return [HeldBack(track.joint, given.first + int(frames[worst]), float(held_back[worst]))]


def _spread(given: Given, frames: NDArray[np.intp], share: Array) -> Array:
    """A share at some frames spread over the time beside them; as it is where a single pose is all there is."""
    if given.whole is not None:
        return share
    whole = np.zeros(given.clip.frames)
    whole[frames] = share
    return widened(whole, timing_of(given.clip))[frames]


def _hinges(given: Given, part: str, frames: NDArray[np.intp]) -> Array:
    """The way a limb bends at some of the frames: by the whole clip, also where one of its frames is all there is."""
    return hinges(given.whole or given.clip, given.rig, part)[frames + (given.first if given.whole else 0)]


def _in_model(posed: Posed, joint: int, turn: Array, move: Array, space: Space) -> tuple[Array, Array]:
    """A change of a joint in its space as a model-space turn ``(frames, 4)`` and shift ``(frames, 3)``."""
    if space == "world":
        return turn, move
    parent = int(posed.skeleton.parents[joint])
    frame = posed.turned[:, joint if space == "own" else parent] if space == "own" or parent >= 0 else None
    if frame is None:
        return turn, move
    return quat.multiply(quat.multiply(frame, turn), quat.conjugate(frame)), quat.rotate(frame, move)


def _in_parent(
    skeleton: Skeleton, rotations: Array, joint: int, frames: NDArray[np.intp], move: Array, space: Space
) -> Array:
    if space == "own":
        return quat.rotate(rotations[frames, joint], move)
    if space == "world":
        above = _model_rotation(skeleton, rotations, int(skeleton.parents[joint]), frames)
        return quat.rotate(quat.conjugate(above), move)
    return move


def _model_rotation(skeleton: Skeleton, rotations: Array, joint: int, frames: NDArray[np.intp]) -> Array:
    out = np.broadcast_to(quat.IDENTITY, (len(frames), 4))
    while joint >= 0:
        out = quat.multiply(rotations[frames, joint], out)
        joint = int(skeleton.parents[joint])
    return out
