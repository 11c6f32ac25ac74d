"""Holding a file that was just written against what was to be in it: everything that its format can hold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from reflexa.formats import Format, Imported
from reflexa.motion import quat
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig

# What formats round to: turns in degrees, places as a share of the figure's height, scales and curves (half precision is the
# coarsest), and the rate.
TURN_DEG, PLACE, SCALE, CURVE, RATE = 0.05, 1e-4, 4e-3, 1e-3, 1e-4


@dataclass(frozen=True)
class ReadBack:
    """How well a file read back: the largest position error in mm and turn in degrees, and what differs, in words.
    whole_mm: of additive clips, how far base and difference are from what they were made of. notes: what a reader takes the file
    to say where it has to decide, such as whether the position channels of a BVH file replace the offsets."""

    mm: float = 0.0
    degrees: float = 0.0
    differs: tuple[str, ...] = ()
    whole_mm: float = 0.0
    notes: tuple[str, ...] = ()


def held_against(
    clips: list[Clip], rig: Rig, back: Imported, format: Format, joints: frozenset[str] | None = None
) -> ReadBack:  # fmt: skip
    """Compare clips with what was read of their file: frames, joints, places, turns, scales, rate, and, as far as the format
    holds them, names, loop, events and tracks. joints: those that the file is of; None: all."""
    mm = degrees = 0.0
    differs: list[str] = []
    if len(back.clips) < len(clips):
        return ReadBack(differs=(f"it contains {len(back.clips)} clips instead of {len(clips)}",))
    for i, clip in enumerate(clips):
        found = next((c for c in back.clips if c.name == clip.name), None)
        if found is None and "name" in format.holds:
            differs.append(f"it has no clip called {clip.name!r}")
            continue
        own = _one(clip, found or back.clips[i], rig, format, joints)
        mm, degrees = max(mm, own.mm), max(degrees, own.degrees)
        differs += [f"{clip.name}: {said}" for said in own.differs] if len(clips) > 1 else own.differs
    return ReadBack(mm, degrees, tuple(differs))


def _one(clip: Clip, back: Clip, rig: Rig, format: Format, joints: frozenset[str] | None) -> ReadBack:
    if back.frames != clip.frames:
        return ReadBack(differs=(f"{back.frames} frames instead of {clip.frames}",))
    # Of a part of the skeleton, whatever else is in the file is as it is too: what the part hangs on rests.
    there = back.skeleton.index
    here = [i for i, n in enumerate(clip.skeleton.names) if joints is None or n in joints or n in there]
    names = [clip.skeleton.names[i] for i in here]
    missing = [n for n in names if n not in there]
    if missing:
        return ReadBack(differs=(f"the joint {missing[0]!r} is missing",))
    numbers = (back.rotations, back.translations, *(t.values for t in back.tracks))
    if not all(np.isfinite(a).all() for a in numbers):
        return ReadBack(differs=("it contains values that are not numbers",))
    order = [there[n] for n in names]
    placed = np.linalg.norm(back.model[1][:, order] - clip.model[1][:, here], axis=-1)
    turned = np.degrees(
        quat.angle(quat.multiply(quat.conjugate(_from_rest(back)[:, order]), _from_rest(clip)[:, here]))
    )
    mm, degrees = 1000 * float(placed.max()), float(turned.max())
    said: list[str] = []
    limit = PLACE * max(rig.height, float(np.abs(clip.model[1]).max()), 0.01)
    # Said this way round, what is no number on either side is a difference.
    if not placed.max() <= limit:
        f, j = np.unravel_index(int(placed.argmax()), placed.shape)
        said.append(f"{names[j]} is {placed[f, j] * 1000:.2f} mm off at frame {f}")
    if not degrees <= TURN_DEG:
        f, j = np.unravel_index(int(turned.argmax()), turned.shape)
        said.append(f"{names[j]} is rotated by {turned[f, j]:.2f}° at frame {f}")
    if not abs(back.rate - clip.rate) <= RATE * clip.rate:
        said.append(f"{back.rate:g} frames per second instead of {clip.rate:g}")
    return ReadBack(mm, degrees, (*said, *_besides(clip, back, (here, order), format)))


def _from_rest(clip: Clip) -> Array:
    """Model-space turns of joints against their rest: formats may choose the axes that joints rest in."""
    return quat.multiply(clip.model[0], quat.conjugate(clip.skeleton.rest_model[0]))


def _besides(clip: Clip, back: Clip, joints: tuple[list[int], list[int]], format: Format) -> list[str]:
    """What else the format holds and the file does not, or holds otherwise. joints: their numbers here and in the file."""
    here, order = joints
    said, holds = [], format.holds
    if "loop" in holds and back.loop != clip.loop:
        said.append("it is a loop" if back.loop else "it is not a loop")
    if "play_rate" in holds and not abs(back.play_rate - clip.play_rate) <= 1e-6 * max(clip.play_rate, 1.0):
        said.append(f"it has a play rate of {back.play_rate:g} instead of {clip.play_rate:g}")
    if "additive" in holds and back.additive != clip.additive:
        said.append(
            "it is not marked as the additive clip that it is" if clip.additive else "it is marked as an additive clip"
        )
    if "events" in holds:
        mine, theirs = (sorted((round(e.frame, 3), e.label) for e in c.events) for c in (clip, back))
        lost = [e for e in mine if e not in theirs]
        if lost or len(mine) != len(theirs):
            said.append(f"the event {lost[0][1]!r} is lost" if lost else "it has events that were not written")
    if "scale" in holds:
        ones = np.ones((clip.frames, len(order), 3))
        a = ones if clip.scales is None else clip.scales[:, here]
        b = ones if back.scales is None else back.scales[:, order]
        if not np.abs(a - b).max() <= SCALE * max(1.0, float(np.abs(a).max())):
            said.append("the scale of joints differs")
    theirs_by = {t.name: t.values for t in back.tracks}
    for t in clip.tracks:
        values = theirs_by.get(t.name)  # one that the file has no shape for is told apart, and stands in the manifest
        if values is not None and not np.abs(values - t.values).max() <= CURVE * max(
            1.0, float(np.abs(t.values).max())
        ):
            said.append(f"the values of the track {t.name!r} differ")
    return said
