"""The retarget step: settings, what is missing, and the whole way from clip to clip."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from msgspec import Meta

from reflexa.errors import RecipeError
from reflexa.motion import quat, seams
from reflexa.motion.arrays import owned
from reflexa.motion.clip import Clip
from reflexa.motion.cuts import timing_of
from reflexa.motion.limbs import Posed
from reflexa.rig import Rig
from reflexa.rig.match import Match, match
from reflexa.steps.helper_joints import snapped
from reflexa.steps.model import Settings
from reflexa.steps.retarget.clearance import broader, clear_arms
from reflexa.steps.retarget.contact import Contacts, lock_feet, place_hands
from reflexa.steps.retarget.relations import Hands, keep_relations
from reflexa.steps.retarget.transfer import moved_joints, transfer

Root = Literal["source root", "under the pelvis", "pelvis, turning", "stays"]
HandsKept = Literal["free", "keep place", "keep distance"]


class RetargetSettings(Settings, frozen=True):
    rig: Annotated[
        str,
        Meta(
            title="Target rig", description="The file of the target rig. Empty: the only rig that was given.",
            extra={"file": "rig"},
        ),
    ] = ""  # fmt: skip
    feet: Annotated[
        bool,
        Meta(
            title="Keep foot contacts",
            description="Feet stand where the feet of the source stand, scaled to the size of the target.",
        ),
    ] = True
    hands: Annotated[
        HandsKept,
        Meta(
            title="Hands",
            description="free: hands follow from the arm rotations. keep place: hands keep their scaled "
            "positions. keep distance: hands keep their scaled distance from each other (two hands "
            "on one oar).",
        ),
    ] = "free"
    root: Annotated[
        Root,
        Meta(
            title="Root joint",
            description="source root: the scaled motion of the source's root joint, or under the pelvis where "
            "it has none. under the pelvis: on the ground below the pelvis. pelvis, turning: the "
            "same, and with the heading of the pelvis. stays: in its rest pose.",
        ),
    ] = "source root"
    relations: Annotated[
        bool,
        Meta(
            title="Relations",
            description="Hands that are close to each other or to the body stay as close, measured between "
            "their surfaces.",
        ),
    ] = True
    clear: Annotated[
        bool,
        Meta(
            title="Arms clear of the body",
            description="Arms do not go deeper into trunk, head and legs than those of the source.",
        ),
    ] = True
    helpers: Annotated[
        bool,
        Meta(title="Helper joints follow", description="Helper joints of the target follow their rules."),
    ] = True


def check(source: Rig, target: Rig) -> tuple[str, ...]:
    """What keeps a clip from being retargeted, in words: required parts that a rig lacks. Empty where it can be done."""
    out = [
        f"the {who} has no pelvis" for who, rig in (("source", source), ("target", target)) if rig.joint("pelvis") < 0
    ]
    m = match(source, target)
    if not out and len(m.targets) < 2:
        parts = "spine, thighs, upper arms"
        out.append(f"the rigs have only the pelvis in common; the target needs parts such as {parts}")
    return tuple(out)


def run(clip: Clip, source: Rig, target: Rig, settings: RetargetSettings) -> tuple[Clip, Match, Posed, Contacts]:
    """The retargeted clip, and what led to it. Raises RecipeError where the rigs have nothing in common."""
    missing = check(source, target)
    if missing:
        raise RecipeError(
            f"cannot retarget {clip.name!r}: {'; '.join(missing)}",
            advice="Assign body parts in the Figure view or in a rig file.",
        )
    m = match(source, target)
    moved, _ = moved_joints(clip, m)
    posed = transfer(clip, m, settings.root, moved)
    relate, kept = settings.relations, np.ones(clip.frames)
    if settings.clear and settings.hands == "free" and broader(m):
        clear_arms(posed, m, timing_of(clip))
    contacts = lock_feet(posed, clip, m, relate or settings.hands == "free") if settings.feet else Contacts()
    if relate:
        kept = keep_relations(posed, clip, m, Hands(settings.hands, contacts.bears), settings.clear)
    if settings.hands != "free":
        place_hands(posed, clip, m, settings.hands, contacts, kept)
    rotations = posed.rotations()
    translations = np.tile(target.skeleton.rest_translations, (clip.frames, 1, 1))
    for j, by in moved.items():
        translations[:, j] += by
    for j in {target.joint("root"), target.joint("pelvis")} - {-1}:
        translations[:, j] = posed.translation(j)
    scales = _scales(target, clip.frames)
    out = replace(
        clip, skeleton=target.skeleton, rotations=owned(quat.settled(rotations)),
        translations=owned(translations), scales=scales,
        known_model=(posed.turned, posed.placed) if scales is None else None,
    )  # fmt: skip
    if clip.loop and clip.frames > 3 and seams.closes(clip, source.travel_joint):
        # What limbs do beside the seam is found from frame to frame: the millimetres by which it differs are spread.
        out = seams.closed(out, target.travel_joint)
    if settings.helpers and target.helpers:
        out = snapped(out, target)
    return out, m, posed, contacts


def _scales(target: Rig, frames: int) -> np.ndarray | None:
    rest = target.skeleton.rest_scales
    return None if rest is None else np.tile(rest, (frames, 1, 1))


def retarget(clip: Clip, rig: Rig, settings: RetargetSettings, rigs: Mapping[str, Rig]) -> tuple[Clip, Rig]:
    """The clip on the target rig, and that rig. Raises RecipeError where it is not given or has nothing in common."""
    target = rig_named(settings.rig, rigs)
    return run(clip, rig, target, settings)[0], target


def rig_named(name: str, rigs: Mapping[str, Rig]) -> Rig:
    """The rig of that name (with or without suffix), or the only one where none is named. Raises RecipeError."""
    if name in rigs:
        return rigs[name]
    if not name and len(rigs) == 1:
        return next(iter(rigs.values()))
    found = [r for n, r in rigs.items() if n.rsplit(".", 1)[0] == name.rsplit(".", 1)[0]]
    if len(found) == 1:
        return found[0]
    known = f"Known: {', '.join(rigs)}." if rigs else "Give one with --rig."
    reason = f"there is no rig {name!r}" if name else "no target rig is chosen"
    raise RecipeError(reason, advice=known)
