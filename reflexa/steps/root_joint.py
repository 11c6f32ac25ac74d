"""A root joint for a rig that has none: on the ground below the pelvis, carrying the travel."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Any

import numpy as np
from msgspec import Meta

from reflexa.errors import RecipeError
from reflexa.motion import quat, travel
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton
from reflexa.names import free_name
from reflexa.rig import Mesh, Rig
from reflexa.steps.model import Beginning, Context, Given, Outcome, Settings, StepKind
from reflexa.steps.root_motion import RootMotionSettings, root_motion


class RootJointSettings(Settings, frozen=True):
    called: Annotated[str, Meta(title="Name", min_length=1, description="The name that the engine expects.")] = "root"
    line: Annotated[
        travel.Line,
        Meta(title="Track",
            description="How the root joint follows the pelvis over the ground: exact, smoothed, or in a straight line."),
    ] = "smoothed"  # fmt: skip
    seconds: Annotated[
        float,
        Meta(title="Smoothed over", ge=0.02, le=10, description="Faster movement than this stays in the pelvis.",
             extra={"unit": "s", "when": {"line": "smoothed"}}),
    ] = 0.5  # fmt: skip
    turn: Annotated[bool, Meta(title="Heading", description="Also take over the heading.")] = True
    height: Annotated[bool, Meta(title="Height", description="Also take over the height.")] = False


def with_root_joint(clip: Clip, rig: Rig, settings: RootJointSettings) -> tuple[Clip, Rig]:
    """Clip and rig with a root joint above all others; every other joint stays where it is in the world.

    Raises RecipeError where there is a root joint already, the name is taken, or there is no pelvis to follow.
    """
    if rig.joint("root") >= 0:
        name = rig.skeleton.names[rig.joint("root")]
        raise RecipeError(f"the rig has a root joint already: {name}", advice="Remove this step.")
    if settings.called in rig.skeleton.index:
        raise RecipeError(
            f"the rig has a joint {settings.called!r} already", advice="Give the root joint another name."
        )
    if rig.joint("pelvis") < 0:
        raise RecipeError("the rig has no pelvis to follow", advice="Assign this joint in the Figure view.")
    new_rig = _rig(rig, settings.called)
    n = clip.frames
    place = np.zeros((n, 1, 3))
    scales = None if clip.scales is None else np.concatenate([np.ones((n, 1, 3)), clip.scales], axis=1)
    new = replace(
        clip, skeleton=new_rig.skeleton, scales=scales,
        rotations=np.concatenate([np.tile(quat.IDENTITY, (n, 1, 1)), clip.rotations], axis=1),
        translations=np.concatenate([place, clip.translations], axis=1),
    )  # fmt: skip
    how = RootMotionSettings("from pelvis", settings.line, settings.seconds, settings.turn, True, settings.height)
    return root_motion(new, new_rig, how), new_rig


def _rig(rig: Rig, name: str) -> Rig:
    s = rig.skeleton

    def first(a: Array | None, value: Array) -> Array | None:
        return None if a is None else np.concatenate([value[None], a])

    one, zero = np.ones(3), np.zeros(3)
    q, t = first(s.rest_rotations, quat.IDENTITY), first(s.rest_translations, zero)
    assert q is not None and t is not None
    skeleton = Skeleton((name, *s.names), np.concatenate([[-1], s.parents + 1]), q, t, first(s.rest_scales, one))
    reference = None
    if rig.reference is not None:
        a, b = first(rig.reference[0], quat.IDENTITY), first(rig.reference[1], zero)
        assert a is not None and b is not None
        reference = a, b
    return replace(
        rig, skeleton=skeleton, body_map={"root": (name,), **rig.body_map}, centre=(name, *rig.centre), reference=reference,
        meshes=tuple(_mesh(m) for m in rig.meshes), sole=rig.ground if rig.sole is not None else None,
    )  # fmt: skip


def _mesh(mesh: Mesh) -> Mesh:
    return replace(mesh, joints=mesh.joints + np.uint16(1), bind=np.concatenate([np.eye(4)[None], mesh.bind]))


def _run(given: Given, settings: RootJointSettings, context: Context) -> Outcome:
    return Outcome(*with_root_joint(given.clip, given.rig, settings))


def _begin(at: Beginning) -> dict[str, Any]:
    return {} if at.given is None else {"called": free_name("root", at.given.rig.skeleton.names, "_")}


KIND = StepKind(
    "root-joint",
    "Root joint",
    "Add a root joint that carries the travel, for rigs without one, with the name that the engine expects.",
    RootJointSettings,
    _run,
    place=40,
    group="figure",
    changes_rig=True,
    weighed=False,
    begin=_begin,
    summary=lambda settings: f"adds {settings.called}",
)
