"""A part of the skeleton: which joints an export says anything of, and clips in which the others do not move."""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from reflexa.errors import RecipeError
from reflexa.motion.arrays import owned
from reflexa.motion.clip import Clip
from reflexa.rig import PRESETS, Rig
from reflexa.rig.bodymap import PARTS, joints_of
from reflexa.take import Export

_FINGERS = ("finger", "thumb")


def kept_joints(rig: Rig, export: Export) -> frozenset[str] | None:
    """The joints that an export keeps; None: all. Raises RecipeError for a word that names none, and where none is left."""
    if not export.joints and not {"helpers", "fingers"} & set(export.without):
        return None
    kept = (
        dict.fromkeys(n for word in export.joints for n in _named(rig, word)) if export.joints else rig.skeleton.names
    )
    gone = set[str]()
    if "helpers" in export.without:
        gone |= {*rig.helpers, *rig.twists}
    if "fingers" in export.without:
        gone |= _below(rig, (n for p, names in rig.body_map.items() if p.endswith(_FINGERS) for n in names))
    left = frozenset(kept) - gone
    if not left:
        raise RecipeError("no joint is left to export", place="joints", advice="Name other joints, or leave out less.")
    return None if len(left) == len(rig.skeleton.names) else left


def _named(rig: Rig, word: str) -> list[str]:
    """The joints that a word means: a joint, a group of the rig, a chain, a part of the body, or several parts together."""
    if word in rig.skeleton.index:
        return [word]
    for names in (rig.groups.get(word), rig.chains.get(word)):
        if names:
            return list(names)
    found = joints_of(rig.body_map, word) if word in PARTS or word in PRESETS else []
    if found:
        return found
    if word in PARTS or word in PRESETS:
        raise RecipeError(f"this rig has no {word}", place="joints")
    known = [*rig.skeleton.names, *rig.groups, *rig.chains, *PRESETS, *PARTS]
    near = ", ".join(difflib.get_close_matches(word, known, 3)) or ", ".join([*PRESETS][:6])
    raise RecipeError(f"there is no joint or group {word!r}", place="joints", advice=f"Similar: {near}.")


def _below(rig: Rig, names: Iterable[str]) -> set[str]:
    """Joints with everything that hangs on them."""
    out = set(names)
    for name, parent in zip(rig.skeleton.names, rig.skeleton.parents.tolist(), strict=True):
        if parent >= 0 and rig.skeleton.names[parent] in out:
            out.add(name)
    return out


def stilled(clip: Clip, still: Clip, names: Iterable[str]) -> Clip:
    """A clip in which joints move as in another of as many frames."""
    at = [clip.skeleton.index[n] for n in names]
    if not at:
        return clip
    rotations, translations = np.array(clip.rotations), np.array(clip.translations)
    rotations[:, at], translations[:, at] = still.rotations[:, at], still.translations[:, at]
    scales = clip.scales
    if scales is not None:
        scales = np.array(scales)
        scales[:, at] = 1.0 if still.scales is None else still.scales[:, at]
        scales = owned(scales)
    return replace(clip, rotations=owned(rotations), translations=owned(translations), scales=scales)


def stripped(clip: Clip, export: Export) -> Clip:
    """A clip without its tracks or its scales, where an export leaves them out."""
    if "tracks" in export.without and clip.tracks:
        clip = replace(clip, tracks=())
    if "scale" in export.without and clip.scales is not None:
        rest = clip.skeleton.rest_scales
        clip = replace(clip, scales=None if rest is None else np.tile(rest, (clip.frames, 1, 1)))
    return clip
