"""Against the source: hands that it kept together, and legs that it stretched in the air."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from reflexa.checks.flight import airborne
from reflexa.checks.model import Check, Finding, Limit, Subject
from reflexa.contacts.relations import of_hands
from reflexa.motion import stances
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.limbs import Bend, limb_end
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.rig import Rig
from reflexa.rig.limbs import limb_of
from reflexa.rig.match import match
from reflexa.rig.rig import SIDES
from reflexa.stage import Stage
from reflexa.steps.registry import kind_of

APART = Limit("parted", 4.0, "cm", "The distance at which two hands on one rope are visibly off.")
BENT = Limit("squashed", 15.0, "°", "The difference at which a knee in the air is visibly too bent.")
# Hands that the source keeps together by less than this do as they like; for how long at least, seconds.
_TOGETHER, _LONG = 0.95, 0.1


def _between(clip: Clip, rig: Rig) -> Array | None:
    """How far the ends of both arms are from each other, metres ``(frames,)``."""
    arms = [limb_of(rig, f"{side} hand") for side in SIDES]
    if arms[0] is None or arms[1] is None:
        return None
    return np.asarray(np.linalg.norm(limb_end(clip.model, arms[1]) - limb_end(clip.model, arms[0]), axis=-1))


def _worst(over: Array, limit: float, wanted: NDArray[np.bool_], rate: float) -> tuple[int, int, int] | None:
    """First and last frame of the stretch of time in which something that counts is most over a limit, and that frame."""
    found = stances.peaks(np.where(wanted, over, 0.0), limit)
    long = [p for p in found if p[1] - p[0] + 1 >= _LONG * rate]
    return max(long, key=lambda p: float(over[p[2]]), default=None)


@cached_per_clip
def _source(clip: Clip, rig: Rig, stage: Stage) -> tuple[NDArray[np.bool_], dict[str, Bend]]:
    """When nothing of a source touches anything ``(frames,)``, and how its limbs bend: asked for after every step."""
    subject = Subject(clip, rig, stage)
    return airborne(subject), subject.bends


def _run(subject: Subject) -> list[Finding]:
    """One finding for hands that are further from each other than the source's, scaled, or nearer; one per leg that is more bent
    in the air. Nothing where time was changed: frames no longer stand for each other."""
    if subject.source is None or not subject.steps:
        return []
    (before, rig), clip = subject.source, subject.clip
    if before.frames != clip.frames or any(s.acts and kind_of(s.kind).changes_time for s in subject.steps):
        return []
    out: list[Finding] = []
    pair = of_hands(before, rig)
    was, now = _between(before, rig), _between(clip, subject.rig)
    if pair is not None and was is not None and now is not None:
        scale = 1.0 if rig.key == subject.rig.key else match(rig, subject.rig).stride
        off, limit = 100 * (now - scale * was), subject.limit(APART)
        if found := _worst(np.abs(off), limit, pair.weight > _TOGETHER, clip.rate):
            first, last, worst = found
            l = limb_of(subject.rig, "left hand")
            assert l is not None
            joint = clip.skeleton.names[l.middle if l.end < 0 else l.end]
            how = "further apart" if off[worst] > 0 else "nearer to each other"
            text = f"the hands are {abs(off[worst]):.1f} cm {how} than in the source"
            out.append(Finding("parted", joint, text, (first, last), worst, float(abs(off[worst])), limit, "cm"))
    in_air, own = _source(before, rig, subject.stage)
    if in_air.any():
        bends, limit = subject.bends, subject.limit(BENT)
        for side in SIDES:
            if (end := f"{side} foot") not in own or end not in bends:
                continue
            more = bends[end].angle - own[end].angle
            if found := _worst(more, limit, in_air, clip.rate):
                joint = clip.skeleton.names[bends[end].limb.middle]
                text = f"{joint} is {more[found[2]]:.0f}° more bent in the air than in the source"
                out.append(Finding("squashed", joint, text, found[:2], found[2], float(more[found[2]]), limit, "°"))
    return out


CHECK = Check(
    "parted", "Hands parted", "Hands that are together in the source are apart, or legs are squashed in the air.", _run, 62,
    kinds=("parted", "squashed"), limits=(APART, BENT), line=True, about="joint", titles={"squashed": "Legs squashed in flight"},
)  # fmt: skip
