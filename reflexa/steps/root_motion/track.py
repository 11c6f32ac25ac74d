"""How a figure travels over the ground, and which joint carries it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.travel import yaw
from reflexa.rig import Rig
from reflexa.rig.foot_rest import leg_length
from reflexa.rig.rig import UP

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
    own = quat.conjugate(rig.neutral.rest_model[0][joint])
    heading = travel.headings(turned[:, joint], quat.rotate(own, rig.facing), quat.rotate(own, UP))
    return TravelTrack(placed[:, joint][:, LEVEL], heading, joint)


def travel_of(clip: Clip, rig: Rig, line: travel.Line = "smoothed", seconds: float = 0.5) -> TravelTrack:
    """How the figure travels: the root joint's track where the pelvis goes along with it, else the pelvis's, as closely as
    said."""
    root, pelvis = rig.joint("root"), rig.joint("pelvis")
    if root < 0 or pelvis < 0:
        return smoothed_track(track_of(clip, rig, rig.travel_joint), clip, line, seconds)
    own, body = track_of(clip, rig, root), track_of(clip, rig, pelvis)
    left = travels(clip, TravelTrack(*seen_from(body, own), pelvis), leg_length(rig))
    return smoothed_track(body, clip, line, seconds) if left else own


# A pelvis that gets about by no more than this, in leg lengths and radians, sways and turns on its root, but does not travel.
_SWAYS, _TWISTS = 0.35, np.radians(100)


def seen_from(body: TravelTrack, own: TravelTrack) -> tuple[Array, Array]:
    """Place and heading of a track as another one, which goes along, sees it."""
    away = quat.rotate(yaw(-own.heading), on_ground(body.place - own.place))[:, LEVEL]
    return away, body.heading - own.heading


def travels(clip: Clip, t: TravelTrack, leg: float) -> bool:
    """True if a track travels and does not only sway. leg: leg length in metres."""
    slow = smoothed_track(t, clip, "smoothed", 0.5)
    far = float(np.linalg.norm(np.ptp(slow.place, axis=0)))
    return far > _SWAYS * max(leg, 1e-6) or float(np.ptp(slow.heading)) > _TWISTS


def smoothed_track(t: TravelTrack, clip: Clip, line: travel.Line, seconds: float) -> TravelTrack:
    """A track as closely as said: exact, without what is faster than ``seconds``, or straight."""
    place = travel.smoothed(t.place, line, seconds, clip.rate, clip.loop)
    return TravelTrack(place, travel.smoothed(t.heading, line, seconds, clip.rate, clip.loop), t.joint)
