"""How a figure travels over the ground, and which joint carries it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.travel import yaw
from reflexa.rig import Rig

LEVEL = (0, 2)


@dataclass(frozen=True, eq=False)
class TravelTrack:
    """Over the ground: place ``(frames, 2)`` x and z in metres, heading ``(frames,)`` in radians; joint: which carries it."""

    place: Array
    heading: Array
    joint: int

    def moved_to(self, other: TravelTrack) -> tuple[Array, Array]:
        """Turns ``(frames, 4)`` and moves ``(frames, 3)`` that take this track to another: p → turn·p + move."""
        turn = yaw(other.heading - self.heading)
        return turn, on_ground(other.place) - quat.rotate(turn, on_ground(self.place))


def on_ground(place: Array) -> Array:
    """Places ``(…, 2)`` as points at height 0 ``(…, 3)``."""
    return np.stack([place[..., 0], np.zeros(place.shape[:-1]), place[..., 1]], axis=-1)


def track_of(clip: Clip, rig: Rig, joint: int) -> TravelTrack:
    """Place and heading of a joint, as it is; the heading is that of the figure's own forward, carried by the joint."""
    turned, placed = clip.model
    ahead = quat.rotate(quat.conjugate(rig.neutral.rest_model[0][joint]), rig.facing)
    return TravelTrack(placed[:, joint][:, LEVEL], travel.headings(turned[:, joint], ahead), joint)


def travel_of(clip: Clip, rig: Rig, line: travel.Line = "smoothed", seconds: float = 0.5) -> TravelTrack:
    """How the figure travels: the root joint's track where it moves, else the pelvis's, as closely as said."""
    root, pelvis = rig.joint("root"), rig.joint("pelvis")
    if root >= 0:
        own = track_of(clip, rig, root)
        if np.ptp(own.place, axis=0).max() > 0.02 or np.ptp(own.heading) > np.radians(2) or pelvis < 0:
            return own
    return smoothed_track(track_of(clip, rig, pelvis if pelvis >= 0 else rig.travel_joint), clip, line, seconds)


def smoothed_track(t: TravelTrack, clip: Clip, line: travel.Line, seconds: float) -> TravelTrack:
    """A track as closely as said: exact, without what is faster than ``seconds``, or straight."""
    place = travel.smoothed(t.place, line, seconds, clip.rate, clip.loop)
    return TravelTrack(place, travel.smoothed(t.heading, line, seconds, clip.rate, clip.loop), t.joint)
