"""Props moved by hand: with a key where they have keys, and exactly onto what they are let go near."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from reflexa.motion import quat
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.motion.curves import put_in
from reflexa.stage.model import Prop, PropKey, Stage, between_keys, turn_of
from reflexa.stage.shapes import corners

# Within this many metres a side snaps to the ground, or to another prop's side.
NEAR = 0.03


def placed(prop: Prop, frame: int, place: Vector | None, turn: Vector | None) -> Prop:
    """A prop at another place (metres) or turn (degrees); None: as it is. As a whole, or, where it has keys, with a key
    at the frame."""
    if not prop.keys:
        return replace(prop, place=place or prop.place, turn=turn or prop.turn)
    turns, places = between_keys(prop.keys, [frame])
    key = PropKey(frame, place or vector(places[0]), turn or vector(turns[0]))
    return replace(prop, keys=put_in(prop.keys, key))


def met(prop: Prop, turn: Array, place: Array, stage: Stage) -> Array:
    """A place ``(3,)`` at which the prop, turned by ``turn`` ``(4,)``, meets the ground and other props exactly with its
    sides, where they were near."""
    box = _box(prop, turn, place)
    out = np.array(place)
    if abs(box[0, 1]) < NEAR:
        out[1] -= box[0, 1]
    for other in stage.props:
        if other.name == prop.name or other.moves or prop.keys:
            continue
        there = _box(other, turn_of(other.turn), np.array(other.place))
        apart = np.maximum(there[0] - box[1], box[0] - there[1])
        if np.all(apart < NEAR):
            for axis in range(3):
                ways = np.array([there[i, axis] - box[j, axis] for i in (0, 1) for j in (0, 1)])
                least = ways[np.argmin(np.abs(ways))]
                if abs(least) < NEAR and out[axis] == place[axis]:
                    out[axis] += least
    return out


def _box(prop: Prop, turn: Array, place: Array) -> Array:
    """Lowest and highest corner ``(2, 3)`` of the box about a prop in the world's axes."""
    points = place + quat.rotate(turn, corners(prop).reshape(-1, 3))
    return np.stack([points.min(axis=0), points.max(axis=0)])


def hit(prop: Prop, turn: Array, place: Array, origin: Array, way: Array) -> float:
    """How far along a ray ``(3,)`` from ``origin`` ``(3,)`` it meets the prop; infinite where it misses. Source: Möller &
    Trumbore (1997)."""
    tri = place + quat.rotate(turn, corners(prop))
    e, f = tri[:, 1] - tri[:, 0], tri[:, 2] - tri[:, 0]
    p = np.cross(way, f)
    det = np.sum(e * p, axis=-1)
    safe = np.where(np.abs(det) > 1e-12, det, np.inf)
    s = origin - tri[:, 0]
    u = np.sum(s * p, axis=-1) / safe
    q = np.cross(s, e)
    v = np.sum(way * q, axis=-1) / safe
    t = np.sum(f * q, axis=-1) / safe
    met_ = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0) & np.isfinite(safe)
    return float(t[met_].min()) if met_.any() else float("inf")
