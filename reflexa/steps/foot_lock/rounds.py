"""Contacts of a loop laid out over three of its cycles: what runs over a seam is whole in the middle one."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import numpy as np
from numpy.typing import NDArray

from reflexa.motion import cycle, quat
from reflexa.motion.arrays import owned
from reflexa.motion.clip import Clip
from reflexa.motion.contact import Contact, joined, moved
from reflexa.rig import Rig
from reflexa.steps.foot_lock.find import Contacts


def over_three_cycles(clip: Clip, rig: Rig, contacts: Contacts) -> tuple[Clip, Contacts, NDArray[np.intp]]:
    """A loop and its contacts with the cycles before and after, and which frame of the loop each frame is ``(frames,)``.
    Anything else as it is."""
    period = clip.frames - 1
    if not clip.loop or period < 2:
        return clip, contacts, np.arange(clip.frames)
    out: list[Contact] = []
    for limb in dict.fromkeys(p.limb for p in contacts):
        for k in (-1, 0, 1):
            for p in sorted((p for p in contacts if p.limb == limb), key=lambda p: p.first):
                new = later(clip, rig, p, (k + 1) * period, k)
                if out and out[-1].limb == limb and new.first <= out[-1].last:
                    out[-1] = joined(out[-1], new)
                else:
                    out.append(new)
    frames = np.concatenate([np.arange(period), np.arange(period), np.arange(period + 1)])
    frames[2 * period] = period  # the loop's own last frame
    return cycle.three(clip, rig.travel_joint), tuple(out), frames


def later(clip: Clip, rig: Rig, p: Contact, by: int, rounds: int = 0) -> Contact:
    """A contact some frames later; rounds: whose place is that of so many cycles later."""
    place = p.place if p.place is None else cycle.carried(clip, rig.travel_joint, np.array(p.place), rounds)
    return msgspec.structs.replace(moved(p, by), place=None if place is None else tuple(place.tolist()))


def from_three_cycles(clip: Clip, before: Clip, after: Clip) -> Clip:
    """The loop in the middle of what was made of three cycles; what was not changed is as it was, bit for bit."""
    if after is before or clip is before:
        return clip if after is before else after
    own = slice(clip.frames - 1, 2 * clip.frames - 1)
    motion = []
    for now, was, had in (
        (after.rotations, before.rotations, clip.rotations),
        (after.translations, before.translations, clip.translations),
    ):
        same = np.all(now[own] == was[own], axis=-1, keepdims=True)
        motion.append(np.where(same, had, now[own]))
    model = None
    if clip.scales is None:
        model = owned(after.model[0][own].copy()), owned(after.model[1][own].copy())
    rotations = quat.shortest(motion[0], clip.rotations)
    return replace(clip, rotations=owned(rotations), translations=owned(motion[1]), known_model=model)
