"""What a result is handed over as: its clips in their shape, as differences and with the joints that are wanted."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from reflexa.motion.additive import difference, held
from reflexa.motion.clip import Clip, rest_clip
from reflexa.output.additive import Named, Whole, bases, mark_of
from reflexa.output.parts import kept_joints, stilled, stripped
from reflexa.output.shape import exported_clips
from reflexa.rig import Rig
from reflexa.take import Export, Range


@dataclass(frozen=True, eq=False)
class HandedOver:
    """clips: as they are written. whole: by name, the same with every joint, to be judged. wholes: by name, what additive clips
    were made of. joints: those that the file says something of; None: all. left_out: what is not in it, as plain data."""

    clips: list[Clip]
    whole: Mapping[str, Clip] = field(default_factory=dict)
    wholes: Mapping[str, Whole] = field(default_factory=dict)
    joints: frozenset[str] | None = None
    left_out: Mapping[str, Any] = field(default_factory=dict)


def handed_over(
    result: Clip, rig: Rig, ranges: tuple[Range, ...], export: Export, clips: Named
) -> HandedOver:  # fmt: skip
    """The clips that a result is handed over as.

    clips: those that the base of additive clips may be. Raises RecipeError and ValueError as ``exported_clips``, and RecipeError
    where there is no such base, or no such joint.
    """
    out = exported_clips(result, rig, ranges, export)
    kept = kept_joints(rig, export)
    if not export.additive and kept is None and not export.without:
        return HandedOver(out)
    whole = {c.name: c for c in out}
    gone = [] if kept is None else [n for n in rig.skeleton.names if n not in kept]
    left_out: dict[str, Any] = {"joints": gone} if gone else {}
    left_out |= {"tracks": sorted({t.name for c in out for t in c.tracks})} if "tracks" in export.without else {}
    left_out |= {"scale": True} if "scale" in export.without else {}
    made = [stripped(c, export) for c in out]
    if not export.additive:
        still = rest_clip(result.skeleton)
        return HandedOver([stilled(c, held(still, 0, c.frames), gone) for c in made], whole, {}, kept, left_out)
    beneath = [stripped(b, export) for b in bases(result, out, rig, ranges, export, clips)]
    roots = {rig.skeleton.names[j] for j in (*rig.skeleton.roots, rig.travel_joint)}
    same = [*gone, *(roots - {*gone} if not export.additive_root else ())]
    firsts = [r.first for r in ranges] if ranges and export.ranges != "whole" else [export.first]
    wholes = {}
    for i, (clip, base, first) in enumerate(zip(made, beneath, firsts, strict=True)):
        clip = stilled(clip, base, same)
        made[i] = difference(clip, base, mark_of(export, first / result.rate - export.held[0] / clip.rate))
        wholes[clip.name] = Whole(clip, base)
    return HandedOver(made, whole, wholes, kept, left_out)
