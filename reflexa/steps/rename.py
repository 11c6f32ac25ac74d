"""Rename: the same motion under other joint names, in another order where a matching rig gives one."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from msgspec import Meta, field

from reflexa.errors import RecipeError
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse
from reflexa.rig.match import rename_map
from reflexa.steps.model import Context, Given, Outcome, Settings, StepKind, known_rigs
from reflexa.steps.retarget.step import rig_named


class RenameSettings(Settings, frozen=True):
    rig: Annotated[
        str,
        Meta(
            title="Names of rig", description="A rig file with the same hierarchy. Its joint names and order are used.",
            extra={"file": "rig"},
        ),
    ] = ""  # fmt: skip
    names: Annotated[
        dict[str, str],
        Meta(title="Names", description="Old and new joint names. With a rig: only exceptions."),
    ] = field(default_factory=dict)


@dataclass(frozen=True)
class RenameReport:
    """Old joint name → new one, for every joint."""

    names: Mapping[str, str]


def rename(clip: Clip, rig: Rig, settings: RenameSettings, rigs: Mapping[str, Rig]) -> tuple[Clip, Rig]:
    """The clip with joints renamed, value for value, and the rig it then is on.

    Raises RecipeError for names that do not exist, that become doubled, or a rig of another build.
    """
    names = clip.skeleton.names
    unknown = [n for n in settings.names if n not in clip.skeleton.index]
    if unknown:
        raise RecipeError(f"cannot rename {', '.join(unknown[:6])}: the rig has no such joint")
    if settings.rig or (rigs and not settings.names):
        target = rig_named(settings.rig, rigs)
        table = rename_map(rig, target)
        if table is None:
            raise RecipeError(
                f"{settings.rig or 'the rig given'} does not match: its joints differ in number, hierarchy or position",
                advice="Use the step Retarget.",
            )
        table |= settings.names
        back = {new: old for old, new in table.items()}
        if len(back) < len(names) or set(back) != set(target.skeleton.names):
            raise RecipeError("two joints would get the same name, or a name that the rig does not have", place="names")
        order = np.array([clip.skeleton.index[back[n]] for n in target.skeleton.names])
        return _reordered(clip, target.skeleton, order), target
    new = tuple(settings.names.get(n, n) for n in names)
    double = sorted({n for n in new if new.count(n) > 1})
    if double:
        raise RecipeError(f"two joints would be called {', '.join(double)}", place="names")
    s = clip.skeleton
    skeleton = Skeleton(new, s.parents, s.rest_rotations, s.rest_translations, s.rest_scales)
    tips = {settings.names.get(n, n): tip for n, tip in rig.tips.items()}
    return replace(clip, skeleton=skeleton), analyse(skeleton, tips=tips, meshes=rig.meshes)


def _reordered(clip: Clip, skeleton: Skeleton, order: np.ndarray) -> Clip:
    return replace(
        clip, skeleton=skeleton, rotations=clip.rotations[:, order], translations=clip.translations[:, order],
        scales=None if clip.scales is None else clip.scales[:, order],
    )  # fmt: skip


def _run(given: Given, settings: RenameSettings, context: Context) -> Outcome:
    clip, rig = rename(given.clip, given.rig, settings, context.rigs)

    def report(_: Clip) -> RenameReport:
        if settings.rig or not settings.names:
            return RenameReport((rename_map(given.rig, rig) or {}) | settings.names)
        return RenameReport({n: settings.names.get(n, n) for n in given.rig.skeleton.names})

    return Outcome(clip, rig, reporting=report)


KIND = StepKind(
    "rename",
    "Rename joints",
    "Keep the motion unchanged, under the joint names and order of a rig with the same hierarchy.",
    RenameSettings,
    _run,
    place=120,
    group="figure",
    changes_rig=True,
    weighed=False,
    reads=lambda _, context: known_rigs(context),
    summary=lambda settings: f"as {settings.rig}" if settings.rig else f"{len(settings.names)} names",
)
