"""What can be said of goals."""

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
            description="left hand, right hand, left foot, right foot, the last joint of a chain; head, or a joint on it such as "
            "an eye, looks at the goal.",
            extra={"choose": "limb"},
        ),
    ] = "right hand"  # fmt: skip
    to: Annotated[
        Literal["point", "grip", "joint", "keyed"],
        Meta(title="Goes to", description="A place on the stage, a prop's grip, another joint, or a target with keys."),
    ] = "point"  # fmt: skip
    point: Annotated[
        Vector, Meta(title="Place", description="x, y, z on the stage.", extra={"unit": "m", "when": {"to": "point"}})
    ] = (0.0, 1.0, 0.5)  # fmt: skip
    turn: Annotated[
        Vector,
        Meta(title="Turn", description="Of the target, about y, x, z.", extra={"unit": "°", "when": {"to": "point"}}),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    prop: Annotated[
        str, Meta(title="Prop", description="Of the stage.", extra={"choose": "prop", "when": {"to": "grip"}})
    ] = ""
    grip: Annotated[
        str, Meta(title="Grip", description="Empty: the prop's own place.", extra={"choose": "grip", "when": {"to": "grip"}})
    ] = ""  # fmt: skip
    joint: Annotated[
        str, Meta(title="Joint", description="Of this rig.", extra={"choose": "joint", "when": {"to": "joint"}})
    ] = ""
    keys: Annotated[
        tuple[TargetKey, ...],
        Meta(title="Target keys", description="Frame, place and turn; even between.", extra={"when": {"to": "keyed"}}),
    ] = ()
    offset: Annotated[
        Vector, Meta(title="Offset", description="x, y, z in the target's own axes.", extra={"unit": "cm"})
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    meets: Annotated[
        Literal["palm or sole", "joint"],
        Meta(
            title="Meets it with", description="The middle of the palm or sole, or the wrist or ankle itself.",
        ),
    ] = "palm or sole"  # fmt: skip
    place: Annotated[
        bool, Meta(title="Place", description="The limb comes to the target; off: it only takes its direction.")
    ] = True
    direction: Annotated[
        Literal["as it is", "kept to the target", "as set"],
        Meta(
            title="Direction",
            description="as it is: turned as before. kept to the target: as it stands to the target when it gets there. "
            "as set: as in the neutral pose in the target's axes, turned by what follows.",
        ),
    ] = "as it is"  # fmt: skip
    set_turn: Annotated[
        Vector,
        Meta(title="Turned by", description="About y, x, z of the target.", extra={"unit": "°", "when": {"direction": "as set"}}),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    swing: Annotated[
        float,
        Meta(
            title="Elbow or knee", ge=-180, le=180, description="Swung about the line from shoulder or hip to the end.",
            extra={"unit": "°"},
        ),
    ] = 0.0  # fmt: skip
    spans: Annotated[
        tuple[ActiveSpan, ...],
        Meta(title="When", description="Start, at, until, end in frames; none: all the time."),
    ] = ()  # fmt: skip
    soft: Annotated[
        float,
        Meta(title="Soft within", ge=0, le=20, description="Nearly stretched limbs slow down, so that they do not snap straight.",
             extra={"unit": "% of the limb"}),
    ] = 1.0  # fmt: skip
    neck: Annotated[
        float, Meta(title="Neck's share", ge=0, le=100, description="Of what the head turns to look.",
             extra={"unit": "%", "when": {"limb": "head"}})
    ] = 35.0  # fmt: skip
    spine: Annotated[
        float, Meta(title="Spine's share", ge=0, le=100, description="Of what the head turns to look.",
             extra={"unit": "%", "when": {"limb": "head"}})
    ] = 15.0  # fmt: skip
    most: Annotated[
        float,
        Meta(title="Turns at most", ge=1, le=180, description="The head looks no further aside than this.",
             extra={"unit": "°", "when": {"limb": "head"}}),
    ] = 80.0  # fmt: skip
