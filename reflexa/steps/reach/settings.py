"""The settings of the step Reach."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from reflexa.motion.arrays import Vector
from reflexa.steps.active_spans import ActiveSpan
from reflexa.steps.model import Settings


class TargetKey(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where a target moved by hand is at a frame: place in metres, turn in degrees (about y, x, z)."""

    frame: Annotated[int, Meta(ge=0, le=10_000_000)]
    place: Vector
    turn: Vector = (0.0, 0.0, 0.0)


class ReachSettings(Settings, frozen=True):
    limb: Annotated[
        str,
        Meta(
            title="What",
            description="left hand, right hand, left foot, right foot, or the last joint of a chain. The head, "
                        "or a joint on it such as an eye, looks at the target.",
            extra={"choose": "limb"},
        ),
    ] = "right hand"  # fmt: skip
    to: Annotated[
        Literal["point", "grip", "joint", "keyed"],
        Meta(title="Target",
            description="The target: a place on the stage, a grip of a prop, another joint, or a target with keys."),
    ] = "point"  # fmt: skip
    point: Annotated[
        Vector, Meta(title="Place", description="The target's x, y and z on the stage.",
            extra={"unit": "m", "when": {"to": "point"}})
    ] = (0.0, 1.0, 0.5)  # fmt: skip
    turn: Annotated[
        Vector,
        Meta(title="Turn", description="The rotation of the target about y, x and z.",
            extra={"unit": "°", "when": {"to": "point"}}),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    prop: Annotated[
        str, Meta(title="Prop", description="A prop of the stage.", extra={"choose": "prop", "when": {"to": "grip"}})
    ] = ""
    grip: Annotated[
        str, Meta(title="Grip", description="A grip of the prop. Empty: the origin of the prop.",
            extra={"choose": "grip", "when": {"to": "grip"}})
    ] = ""  # fmt: skip
    joint: Annotated[
        str, Meta(title="Joint", description="A joint of this rig.", extra={"choose": "joint", "when": {"to": "joint"}})
    ] = ""
    keys: Annotated[
        tuple[TargetKey, ...],
        Meta(
            title="Target keys",
            description="Frame, place and rotation, with linear interpolation between keys.",
            extra={"when": {"to": "keyed"}},
        ),
    ] = ()
    offset: Annotated[
        Vector, Meta(title="Offset", description="Offset from the target, in the target's own axes.", extra={"unit": "cm"})
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    meets: Annotated[
        Literal["palm or sole", "joint"],
        Meta(
            title="Touches with", description="The middle of the palm or sole, or the wrist or ankle joint.",
        ),
    ] = "palm or sole"  # fmt: skip
    place: Annotated[
        bool, Meta(title="Place", description="Move the limb to the target. Off: only take on its direction.")
    ] = True
    direction: Annotated[
        Literal["as it is", "kept to the target", "as set"],
        Meta(
            title="Direction",
            description="as it is: keep the rotation. kept to the target: keep the rotation relative to the "
                        "target from the moment the limb arrives. as set: align the neutral pose with the "
                        "target's axes, rotated by the value below.",
        ),
    ] = "as it is"  # fmt: skip
    set_turn: Annotated[
        Vector,
        Meta(title="Rotation", description="Rotation about y, x and z of the target.",
            extra={"unit": "°", "when": {"direction": "as set"}}),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    swing: Annotated[
        float,
        Meta(
            title="Elbow or knee", ge=-180, le=180,
                description="Pole direction: rotates the elbow or knee about the line from shoulder or hip to the end.",
            extra={"unit": "°"},
        ),
    ] = 0.0  # fmt: skip
    spans: Annotated[
        tuple[ActiveSpan, ...],
        Meta(title="When", description="Spans of start, at, until and end, in frames. Empty: the whole clip."),
    ] = ()  # fmt: skip
    soft: Annotated[
        float,
        Meta(title="Soft IK", ge=0, le=20,
            description="Limbs slow down when they are nearly stretched, so that they do not snap straight.",
             extra={"unit": "% of the limb"}),
    ] = 1.0  # fmt: skip
    neck: Annotated[
        float, Meta(title="Neck's share", ge=0, le=100, description="The share of the head rotation.",
             extra={"unit": "%", "when": {"limb": "head"}})
    ] = 35.0  # fmt: skip
    spine: Annotated[
        float, Meta(title="Spine's share", ge=0, le=100, description="The share of the head rotation.",
             extra={"unit": "%", "when": {"limb": "head"}})
    ] = 15.0  # fmt: skip
    most: Annotated[
        float,
        Meta(title="Largest turn", ge=1, le=180, description="The largest angle by which the head turns aside.",
             extra={"unit": "°", "when": {"limb": "head"}}),
    ] = 80.0  # fmt: skip
