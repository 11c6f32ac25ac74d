"""The contacts step: soles and hands held where they stand, and everything between them led there and back.

After Kovar, Schreiner & Gleicher, Footskate Cleanup for Motion Capture Editing, 2002: places first, then the pelvis,
then the legs, in closed form; changes are spread over the frames beside a contact. A loop is worked on between the cycle
before it and the one after it.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array, owned
from reflexa.motion.clip import Clip
from reflexa.motion.contact import at_times
from reflexa.motion.cuts import pieces, timing_of
from reflexa.motion.limbs import at_frames, pelvis_drop, posed_clip, reach, turn_about, with_lowered_pelvis
from reflexa.rig import Rig
from reflexa.rig.foot_rest import as_seen
from reflexa.rig.limbs import hinges
from reflexa.stage import Stage
from reflexa.stage.footing import level_of
from reflexa.steps.foot_lock.find import Contacts, contacts_of
from reflexa.steps.foot_lock.foot import Ground, LimbChange, change_of, partly
from reflexa.steps.foot_lock.rounds import from_three_cycles, over_three_cycles
from reflexa.steps.foot_lock.settings import FootLockSettings
from reflexa.steps.helper_joints import follow
from reflexa.steps.model import Context, Given


def locked(clip: Clip, rig: Rig, settings: FootLockSettings, context: Context) -> Clip:
    """The clip with its contacts held. Raises RecipeError where the rig has no feet (or hands) to hold."""
    return held(Given(clip, rig), contacts_of(clip, rig, settings, context), settings, context.stage)


def held(given: Given, contacts: Contacts, settings: FootLockSettings, stage: Stage) -> Clip:
    """The clip with contacts held, those that are on, as far as the step weighs. Raises RecipeError as ``locked`` does."""
    given = replace(given, rig=as_seen(given.clip, given.rig))
    clip, rig = given.clip, given.rig
    if settings.find and not any(rig.limb(f"{s} foot") for s in ("left", "right")):
        raise RecipeError(
            "the rig has no leg of thigh, shin and foot, so there is nothing to hold",
            advice="Assign these joints in the Figure view.",
        )
    levelled = _levelled(given, settings, stage)
    on = tuple(p for p in contacts if p.on)
    if len(pieces(clip)) > 1:
        out = _in_pieces(given, levelled, on, settings, stage)
    else:
        before, there, frames = over_three_cycles(levelled, rig, on)
        ground = Ground(before, frames, levelled, stage, _turned(before, rig))
        out = from_three_cycles(levelled, before, _in_place(given, ground, there, settings))
    return out if out is clip else follow(clip, out, rig)


def _in_pieces(given: Given, clip: Clip, contacts: Contacts, settings: FootLockSettings, stage: Stage) -> Clip:
    """A clip with its contacts held, each piece between cuts by itself."""
    turned, done = _turned(clip, given.rig), []
    for a, b in pieces(given.clip):
        own, piece = np.arange(a, b), clip.cut(a, b - 1)
        ground = Ground(piece, own, clip, stage, turned[own])
        there = at_times(contacts, clip.frames, own.astype(np.float64))
        done.append((piece, _in_place(given, ground, there, settings)))
    if all(before is after for before, after in done):
        return clip
    rotations, translations = (np.concatenate([getattr(p, w) for _, p in done]) for w in ("rotations", "translations"))
    return clip.with_motion(owned(rotations), owned(translations))


def _in_place(given: Given, ground: Ground, contacts: Contacts, settings: FootLockSettings) -> Clip:
    """The motion over a ground with its contacts held."""
    rig, changes = given.rig, []
    for name in dict.fromkeys(p.limb for p in contacts):
        change = change_of(ground, rig, name, contacts, settings)
        if change is not None:
            share = given.share(change.limb.end)[ground.frames]
            changes.append(change if share.min() == 1 else partly(change, ground.clip, share, rig))
    return solved(ground.clip, rig, changes, settings)


def _turned(clip: Clip, rig: Rig) -> Array:
    """How the root joint turns the whole figure ``(frames,)``, radians; not at all without one."""
    root = rig.joint("root")
    if root < 0:
        return np.zeros(clip.frames)
    return travel.headings(
        clip.model[0][:, root], quat.rotate(quat.conjugate(rig.neutral.rest_model[0][root]), rig.facing)
    )


# The last of an arm, as a share of its length, that it stretches softly.
_ARM_SOFT = 0.002
# A whole clip that is this little off stays where it is, metres.
_LITTLE = 0.002


def _levelled(given: Given, settings: FootLockSettings, stage: Stage) -> Clip:
    """A clip that hovers or sinks as a whole, put down; the root joint stays on the ground."""
    clip, rig = given.clip, given.rig
    by = level_of(clip, rig, stage) if settings.level and settings.surface == "surface below" else np.zeros(1)
    by = np.where(np.abs(by) < _LITTLE, 0.0, by)
    pelvis = rig.joint("pelvis")
    if not by.any() or pelvis < 0:
        return clip
    translations = np.array(clip.translations)
    down = np.zeros((clip.frames, 3))
    down[:, 1] = -by * given.share(pelvis)
    parent = int(clip.skeleton.parents[pelvis])
    turned, placed = clip.model
    translations[:, pelvis] += quat.rotate(quat.conjugate(turned[:, parent]), down) if parent >= 0 else down
    if clip.scales is not None:
        return clip.with_motion(clip.rotations, owned(translations))
    lower = np.array(placed)
    lower[:, clip.skeleton.below(pelvis)] += down[:, None]
    return clip.with_motion(clip.rotations, owned(translations), known_model=(turned, owned(lower)))


def solved(clip: Clip, rig: Rig, changes: list[LimbChange], s: FootLockSettings) -> Clip:
    """The clip with limbs brought to their goals: first the pelvis gives way, then the limbs bend. Frames at which nothing
    differs stay as they are, bit for bit."""
    sunk = _give_way(clip, rig, changes, s)
    moved = (sunk != 0) if sunk is not None else np.zeros(clip.frames, dtype=bool)
    for c in changes:
        moved |= c.moved
    at = np.flatnonzero(moved)
    if len(at) == 0:
        return clip
    posed = at_frames(clip.skeleton, clip.model, clip.rotations, at)
    pelvis = rig.joint("pelvis")
    translations = None
    if sunk is not None and pelvis >= 0:
        translations = with_lowered_pelvis(clip, posed, pelvis, at, sunk[at])
    for c in changes:
        # A leg straightens softly from where the pelvis no longer gives way for it; an arm has nothing that gives way.
        soft = 1 - s.reach / 100 if c.name.endswith("foot") else _ARM_SOFT
        reach(posed, c.limb, c.goal[at], hinges(clip, rig, c.name)[at], soft)
        end = c.limb.end
        change = quat.multiply(c.turn[at], quat.conjugate(posed.turned[:, end]))
        turn_about(posed, c.limb.beyond, posed.placed[:, end].copy(), change)
        posed.dirty.add(end)
        if c.toes is not None:
            toes = rig.joint(f"{c.name.split()[0]} toes")
            change = quat.multiply(c.toes[at], quat.conjugate(posed.turned[:, toes]))
            turn_about(posed, np.array(clip.skeleton.below(toes)), posed.placed[:, toes].copy(), change)
            posed.dirty |= {toes, *clip.skeleton.children[end]}
    return posed_clip(clip, posed, at, translations)


def _give_way(clip: Clip, rig: Rig, changes: list[LimbChange], s: FootLockSettings) -> Array | None:
    """How far the pelvis sinks ``(frames,)`` in metres so that locked legs reach their places; None where it need not."""
    wanted = [(c.limb, c.goal, np.asarray(c.held, dtype=np.float64)) for c in changes if c.name.endswith("foot")]
    down = pelvis_drop(clip.model, wanted, timing_of(clip), s.reach / 100) * (s.share / 100)
    return down if np.abs(down).max(initial=0.0) > 1e-9 else None
