"""Helper joints: put back where their rules say, over the whole clip."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from reflexa.motion import kinematics, quat
from reflexa.motion.arrays import owned
from reflexa.motion.clip import Clip
from reflexa.motion.per_clip_cache import cached_per_clip
from reflexa.rig import Rig
from reflexa.rig.helpers import by_rule, distances
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind

Bools = NDArray[np.bool_]


class HelperSettings(Settings, frozen=True):
    joints: Annotated[
        tuple[str, ...],
        Meta(
            title="Helper joints",
            description="Only these helper joints. Empty: all helper joints for which the rig has a rule.",
        ),
    ] = ()


@dataclass(frozen=True)
class OffRule:
    """How far a helper joint is from its rule at most before the step and after it, mm, and the worst frame before."""

    joint: str
    was: float
    now: float
    frame: int


_ROUNDING = 1e-9


def snapped(clip: Clip, rig: Rig, only: tuple[str, ...] = (), where: Bools | None = None) -> Clip:
    """The clip with helper joints on their rules (those in ``only``; all where it is empty); all other joints keep their
    place. Names without a rule are passed over. where ``(frames,)``: in these frames alone."""
    names = [n for n in rig.helpers if not only or n in only]
    if not names:
        return clip
    skeleton = rig.neutral
    turned, placed = (np.array(a) for a in clip.model)
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    for name in sorted(names, key=skeleton.index.__getitem__):  # a helper may follow another
        j = skeleton.index[name]
        q, p = by_rule(skeleton, j, rig.helpers[name], turned, placed)
        turned[:, j], placed[:, j] = q, p
        q, p = kinematics.to_local(skeleton.parents, (turned, placed), j, q, p)
        q = quat.shortest(q, rotations[:, j])
        # What is on its rule but for rounding stays as it is, bit for bit.
        off = np.abs(q - rotations[:, j]).max(axis=-1) + np.abs(p - translations[:, j]).max(axis=-1)
        at = np.flatnonzero(off > _ROUNDING if where is None else (off > _ROUNDING) & where)
        rotations[at, j], translations[at, j] = q[at], p[at]
    carries = any(skeleton.children[skeleton.index[n]] for n in names)
    known = None if carries else (owned(turned), owned(placed))
    return clip.with_motion(owned(rotations), owned(translations), known_model=known)


# A helper joint this near its rule was on it, metres.
_ON_RULE = 0.001


def on_rules(clips: Iterable[Clip], rig: Rig, within: float = _ON_RULE, turned: float = np.inf) -> tuple[str, ...]:
    """The helper joints that are on their rules all through these clips, within so many metres and radians."""
    names = tuple(rig.helpers)
    for clip in clips if names else ():
        away = distances(rig.neutral, rig.helpers, *clip.model)
        names = tuple(n for n in names if away[n][0].max() < within and away[n][1].max() < turned)
    return names


@cached_per_clip
def _on_rules(clip: Clip, rig: Rig) -> tuple[str, ...]:
    return on_rules([clip], rig)


def follow(before: Clip, after: Clip, rig: Rig) -> Clip:
    """A changed clip with those helper joints back on their rules that were on them before the change."""
    return _back_on(_on_rules(before, rig), before, after, rig)


def _back_on(names: tuple[str, ...], before: Clip, after: Clip, rig: Rig) -> Clip:
    """A changed clip with some helper joints on their rules, in those frames in which it was changed."""
    if not names:
        return after
    changed = np.any(after.rotations != before.rotations, axis=(1, 2))
    changed |= np.any(after.translations != before.translations, axis=(1, 2))
    return snapped(after, rig, names, changed)


def carried_along(before: Clip, after: Clip, rig: Rig, whole: Clip) -> Clip:
    """A changed clip with those helper joints on their rules that were on them all through ``whole``, and that the change itself
    left alone: whoever moves a helper joint means it."""
    names = tuple(n for n in _on_rules(whole, rig) if _same(before, after, rig.skeleton.index[n]))
    return _back_on(names, before, after, rig)


def uncarried(before: Clip, after: Clip, rig: Rig) -> Clip:
    """A changed clip with those helper joints left behind that are on their rules before and after the change: each stands to its
    parent as before it."""
    joints = [rig.skeleton.index[n] for n in on_rules([before, after], rig)]
    rotations, translations = np.array(after.rotations), np.array(after.translations)
    rotations[:, joints], translations[:, joints] = before.rotations[:, joints], before.translations[:, joints]
    return after.with_motion(rotations, translations) if joints else after


def _same(a: Clip, b: Clip, joint: int) -> bool:
    """True if a joint has the same transform relative to its parent in both clips."""
    pairs = (a.rotations, b.rotations), (a.translations, b.translations)
    return all(np.array_equal(x[:, joint], y[:, joint]) for x, y in pairs)


def kept_on_rules(before: Iterable[Clip], after: Clip, rig: Rig) -> Clip:
    """A clip made of others with those helper joints on their rules that were on them in all of these: what lies between frames,
    or is spread over a seam, takes them off."""
    names = on_rules(before, rig)
    return snapped(after, rig, names) if names else after


def _report(before: Clip, after: Clip, rig: Rig) -> tuple[OffRule, ...]:
    was = distances(rig.neutral, rig.helpers, *before.model)
    now = distances(rig.neutral, rig.helpers, *after.model)
    return tuple(
        OffRule(n, 1000 * float(d.max()), 1000 * float(now[n][0].max()), int(d.argmax())) for n, (d, _) in was.items()
    )


def _run(given: Given, settings: HelperSettings, context: Context) -> Outcome:
    after = snapped(given.clip, given.rig, settings.joints)
    return given.changed(after, lambda now: _report(given.clip, now, given.rig))


KIND = StepKind(
    "helper-joints",
    "Helper joints",
    "Snap helper joints back to the joints that they follow, over the whole clip.",
    HelperSettings,
    _run,
    place=110,
    group="figure",
    fixes=50,
    single_pose=True,
)
