"""Keys taken along: to other frames, clips and rigs, and onto the other side."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TypedDict, Unpack

import numpy as np
from msgspec.structs import replace

from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.rig import Rig
from reflexa.rig.joint_roles import RoleMap
from reflexa.steps.correction.edits import Chosen, with_keys, with_track
from reflexa.steps.correction.settings import CorrectionSettings, Slopes, Track

Led = Callable[[Array], Array]


@dataclass(frozen=True)
class Copied:
    """Keys taken along, with their tracks' ways; frames as they were, ``first`` the earliest."""

    tracks: tuple[Track, ...]

    @property
    def first(self) -> int:
        return min((k.frame for t in self.tracks for k in t.keys), default=0)


def copy_keys(settings: CorrectionSettings, keys: Chosen) -> Copied:
    """The chosen keys, to be pasted into this or another correction."""
    tracks = []
    for track in settings.tracks:
        taken = tuple(k for k in track.keys if (track.joint, k.frame) in keys)
        if taken:
            tracks.append(replace(track, keys=taken))
    return Copied(tuple(tracks))


class Pasting(TypedDict, total=False):
    """How keys are pasted: see ``paste_keys``."""

    at: int | None
    mirrored: bool
    names: Mapping[str, str] | None


def paste_keys(
    settings: CorrectionSettings, copied: Copied, rig: Rig, last: int, **how: Unpack[Pasting]
) -> tuple[CorrectionSettings, tuple[str, ...]]:
    """The correction with copied keys, and the joints that the rig lacks.

    at: frame on which the earliest comes to lie; None leaves them on their own. mirrored: onto the partners, changes
    reflected. names: joint of the other rig → joint of this one, where they differ. Frames outside the clip are left
    out; a joint that has keys already keeps its space, and takes the values as they are.
    """
    at, mirrored, names = how.get("at"), how.get("mirrored", False), how.get("names") or {}
    by = 0 if at is None else at - copied.first
    gone = []
    for track in copied.tracks:
        name = names.get(track.joint, track.joint)
        if name not in rig.skeleton.index:
            gone.append(track.joint)
            continue
        own = mirrored_track(replace(track, joint=name), rig) if mirrored else replace(track, joint=name)
        new = [replace(k, frame=k.frame + by) for k in own.keys if 0 <= k.frame + by <= last]
        base = settings.track(own.joint)
        if not base.keys:
            base = replace(own, keys=())
        if new:
            settings = with_track(settings, with_keys(base, *new))
    return settings, tuple(gone)


def mirrored_track(track: Track, rig: Rig) -> Track:
    """The track for the partner: turns and moves reflected across the figure's plane, swings turned round.

    In own and parent's axes the rest poses of both sides say how the axes correspond, so any axes will do.
    """
    j = rig.skeleton.index[track.joint]
    k = int(rig.partner[j])
    rest, parents = rig.neutral.rest_model[0], rig.skeleton.parents

    def axes(joint: int) -> Array:
        if track.space == "world":
            return quat.IDENTITY
        at = joint if track.space == "own" else int(parents[joint])
        return rest[at] if at >= 0 else quat.IDENTITY

    normal, here, there = rig.plane.normal, axes(j), quat.conjugate(axes(k))

    def reflected(v: Array, turns: bool) -> Array:
        model = quat.rotate(here, v)
        across = 2 * (model @ normal) * normal
        return np.asarray(quat.rotate(there, across - model if turns else model - across))

    return _mapped(
        replace(track, joint=rig.skeleton.names[k]), lambda v: reflected(v, True), lambda v: reflected(v, False), -1.0
    )


def carried(settings: CorrectionSettings, to: RoleMap) -> CorrectionSettings:
    """The correction on another rig: its keys on the joints that play the same, in their axes, moves at that rig's size. Of two
    tracks that would come to one joint, the first."""
    tracks: dict[str, Track] = {}
    for track in settings.tracks:
        there = to.joint(track.joint)
        if there is None:
            continue
        if there in tracks:
            to.lacks.append(f"{track.joint} (beside {there})")
            continue
        over = to.turned(track.joint, there, track.space) if track.joint in to.roles.joints else None
        same, size = replace(track, joint=there), to.scale
        if over is None and size == 1.0:
            tracks[there] = same
            continue
        tracks[there] = _mapped(same, _turned(over), _turned(over, size), 1.0)
    return replace(settings, tracks=tuple(tracks.values()))


def _turned(over: Array | None, size: float = 1.0) -> Led:
    return lambda v: size * (v if over is None else quat.rotate(over, v))


def _mapped(track: Track, turns: Led, moves: Led, swings: float) -> Track:
    """A track with its turns and moves, and how fast they change, led through functions, and its swings scaled."""

    def one(v: Vector, by: Led) -> Vector:
        return vector(by(np.array(v))) if any(v) else v

    def sloped(v: Slopes | None) -> Slopes | None:
        return None if v is None else (*one(v[:3], turns), *one(v[3:6], moves), swings * v[6] if v[6] else 0.0)

    keys = tuple(
        replace(
            q, rotate=one(q.rotate, turns), move=one(q.move, moves), swing=swings * q.swing if q.swing else 0.0,
            arrive=sloped(q.arrive), leave=sloped(q.leave),
        )
        for q in track.keys
    )  # fmt: skip
    return replace(track, keys=keys)
