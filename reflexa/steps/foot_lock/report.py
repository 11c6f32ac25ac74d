"""How well contacts hold, in numbers, before and after."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from reflexa.motion import stances
from reflexa.motion.arrays import Array, Vector, vector
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact
from reflexa.rig import Rig
from reflexa.rig.foot_rest import as_seen, leg_length
from reflexa.rig.soles import soles
from reflexa.stage import Stage, surface_under
from reflexa.stage.footing import Thresholds, footing
from reflexa.steps.foot_lock.outlines import Outlines


@dataclass(frozen=True)
class Held:
    """How one contact is held. drift: how far over the ground heel or ball leaves its place while it bears, mm, and the frame of
    it; depth: how deep the skin is below what it stands on at most, mm (0: nowhere); over: how high its lowest point is over it
    at most, mm."""

    drift: float
    frame: int
    depth: float
    over: float


@dataclass(frozen=True, eq=False)
class Traces:
    """Per limb that can be held: height in metres over what lies below and speed in m/s ``(frames,)``; leg in metres."""

    tracks: Mapping[str, tuple[Array, Array]]
    leg: float


@dataclass(frozen=True, eq=False)
class FootLockReport:
    """The contacts of the step, how each held before and holds after, what the step adds to the acceleration at their ends in
    m/s², the heights and speeds that they are found by, and where they are on the ground."""

    contacts: tuple[Contact, ...]
    was: tuple[Held, ...]
    now: tuple[Held, ...]
    acceleration: float
    traces: Traces
    outlines: Outlines


def traces(clip: Clip, rig: Rig, stage: Stage) -> Traces:
    """Heights and speeds of feet (and hands) of a clip."""
    tracks = {
        f"{side} foot": (f.height, f.speed) for side, f in footing(clip, rig, stage, Thresholds(), "stage").items()
    }
    for limb in ("left hand", "right hand"):
        joint = rig.joint(limb)
        if joint >= 0:
            speed = stances.speeds(clip.model[1][:, joint], clip.rate)
            tracks[limb] = np.full(clip.frames, np.nan), speed
    return Traces(MappingProxyType(tracks), max(leg_length(rig), 1e-6))


def picked_place(clip: Clip, rig: Rig, contact: Contact, frame: int) -> Vector:
    """Where the ball of a contact's foot (or the wrist) is at a frame of a clip."""
    at = slice(min(frame, clip.frames - 1), None)
    turned, placed = (a[at][:1] for a in clip.model)
    side, _, part = contact.limb.partition(" ")
    if part == "foot" and side in soles(rig):
        place = soles(rig)[side].points(turned, placed)[1][0]
    else:
        place = placed[0, rig.joint(contact.limb)]
    return vector(place.round(4))


def held(clip: Clip, rig: Rig, contact: Contact, stage: Stage) -> Held:
    """How a contact holds in a clip."""
    a, b = contact.first, min(contact.last, clip.frames - 1)
    turned, placed = clip.model
    rig = as_seen(clip, rig)
    side, _, part = contact.limb.partition(" ")
    sole = soles(rig).get(side) if part == "foot" else None
    joint = rig.joint(contact.limb)
    if a > b or joint < 0:
        return Held(0.0, a, 0.0, 0.0)
    if sole is None:
        away = np.linalg.norm(placed[a : b + 1, joint] - placed[a, joint], axis=-1)
        return Held(1000 * float(away.max()), a + int(away.argmax()), 0.0, 0.0)
    heel, ball = sole.points(turned[a : b + 1], placed[a : b + 1])
    at = np.arange(a, b + 1)
    drift = _slipped((heel, at <= contact.heel_to), (ball, (at >= contact.ball_from) & (at <= contact.ball_to)))
    frames = np.arange(a, b + 1)
    joints = [(turned[frames, j], placed[frames, j]) for j in (sole.ankle, sole.toes)]
    low = sole.clearance(joints[0], joints[1], surface_under(stage, clip, joints[0][1], frames=frames))
    return Held(
        1000 * float(drift.max()),
        a + int(drift.argmax()),
        1000 * float(np.maximum(-low, 0).max()),
        1000 * float(low.max()),
    )


def _slipped(heel: tuple[Array, NDArray[np.bool_]], ball: tuple[Array, NDArray[np.bool_]]) -> Array:
    """How far over the ground a foot has slipped since the first frame ``(frames,)``, by the tracks of heel and ball ``(frames,
    3)`` and when each is down: what bears is the point between them that moves the least, about which a foot turns."""
    steps = [
        np.where((down[1:] & down[:-1])[:, None], np.diff(t[:, [0, 2]], axis=0), np.nan) for t, down in (heel, ball)
    ]
    one = np.where(np.isnan(steps[0]), steps[1], steps[0])
    way = np.nan_to_num(steps[1] - steps[0])
    share = np.clip(-np.sum(np.nan_to_num(one) * way, axis=1) / np.maximum(np.sum(way * way, axis=1), 1e-18), 0.0, 1.0)
    slip = np.nan_to_num(one) + share[:, None] * way
    return np.asarray(np.linalg.norm(np.concatenate([np.zeros((1, 2)), np.cumsum(slip, axis=0)]), axis=1))


def added_acceleration(before: Clip, after: Clip, rig: Rig, contacts: tuple[Contact, ...], within: int = 8) -> float:
    """The most that a step adds to the acceleration of an ankle or wrist near the ends of its contacts, m/s²."""
    most = 0.0
    for p in contacts:
        joint = rig.joint(p.limb)
        if joint < 0 or before.frames < 3:
            continue
        added = after.model[1][:, joint] - before.model[1][:, joint]
        size = np.linalg.norm(np.diff(added, n=2, axis=0), axis=-1) * before.rate**2
        for end in (p.first, p.last):
            near = size[max(end - 1 - within, 0) : end + within]
            most = max(most, float(near.max(initial=0.0)))
    return most
