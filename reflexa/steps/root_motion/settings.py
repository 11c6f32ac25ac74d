"""What can be said of root motion."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from msgspec import Meta

from reflexa.motion import travel
from reflexa.steps.model import Settings

Operation = Literal[
    "from pelvis", "in place", "from feet", "along path", "turn and scale", "to origin", "lock", "remove drift", "hand back"
]  # fmt: skip


_BY_PELVIS: tuple[Operation, ...] = ("from pelvis", "in place", "along path", "turn and scale")


def _for(*operations: Operation) -> dict[str, Any]:
    return {"when": {"operation": list(operations)}}


class RootMotionSettings(Settings, frozen=True):
    operation: Annotated[
        Operation,
        Meta(
            title="What",
            description="from pelvis: the root joint takes over the travel of the pelvis. in place: the figure "
                        "stays where it starts. from feet: the root moves so that the standing foot is still. "
                        "along path: follow a path drawn on the ground. turn and scale: travel in another "
                        "direction, further or less far. to origin: start at the origin, facing forward. lock: "
                        "no travel along an axis. remove drift: end where it began. hand back: the pelvis "
                        "takes over the travel of the root.",
        ),
    ] = "from pelvis"  # fmt: skip
    line: Annotated[
        travel.Line,
        Meta(
            title="Track",
            description="How the root follows the pelvis over the ground: exact, smoothed, or straight and at "
                        "an even speed.",
            extra=_for(*_BY_PELVIS),
        ),
    ] = "smoothed"  # fmt: skip
    seconds: Annotated[
        float,
        Meta(
            title="Smoothed over", ge=0.02, le=10,
            description="Faster movement than this stays in the pelvis.",
            extra={"unit": "s", "when": {"operation": [*_BY_PELVIS], "line": "smoothed"}},
        ),
    ] = 0.5  # fmt: skip
    turn: Annotated[
        bool,
        Meta(
            title="Heading", description="Also take over the heading.",
            extra=_for("from pelvis", "in place", "from feet", "along path", "hand back"),
        ),
    ] = True  # fmt: skip
    place: Annotated[
        bool,
        Meta(
            title="Position", description="Also take over the position on the ground. Off: only the heading.",
            extra=_for("from pelvis", "in place", "hand back"),
        ),
    ] = True  # fmt: skip
    height: Annotated[
        bool,
        Meta(
            title="Height", description="The root joint follows the height of the pelvis.",
            extra=_for("from pelvis", "hand back"),
        ),
    ] = False  # fmt: skip
    path: Annotated[
        tuple[tuple[float, float], ...],
        Meta(
            title="Path",
            description="Points on the ground, x and z in metres, in walking order.",
            extra=_for("along path"),
        ),
    ] = ()
    walked: Annotated[
        Literal["as far as it travels", "to its end"],
        Meta(
            title="Path length",
            description="as far as it travels: the clip keeps its speed along the path, so the feet fit. to "
                        "its end: walk the whole path in the duration of the clip, at the drawn pace.",
            extra=_for("along path"),
        ),
    ] = "as far as it travels"  # fmt: skip
    pace: Annotated[
        tuple[tuple[Annotated[float, Meta(ge=0, le=1)], Annotated[float, Meta(ge=0)]], ...],
        Meta(
            title="Pace", description="Points of (share of the time from 0 to 1, relative speed), smoothly connected.",
            extra={"when": {"operation": "along path", "walked": "to its end"}},
        ),
    ] = ()  # fmt: skip
    steady: Annotated[
        bool,
        Meta(title="Steady", description="Travel straight, at the mean speed of the feet.", extra=_for("from feet")),
    ] = False
    angle: Annotated[
        float,
        Meta(
            title="Rotation", ge=-3600, le=3600, description="Rotation to the left, about the start of the clip.",
            extra={"unit": "°", **_for("turn and scale")},
        ),
    ] = 0.0  # fmt: skip
    scale: Annotated[
        float,
        Meta(
            title="Distance factor", ge=-100, le=100, description="1: the distance does not change.",
            extra={"unit": "×", **_for("turn and scale")},
        ),
    ] = 1.0  # fmt: skip
    x: Annotated[bool, Meta(title="Lock x", description="No travel along the world's x axis.", extra=_for("lock"))] = (
        True
    )
    z: Annotated[bool, Meta(title="Lock z", description="No travel along the world's z axis.", extra=_for("lock"))] = (
        False
    )
    y: Annotated[
        bool,
        Meta(title="Lock height", description="The root joint keeps its height from the start.", extra=_for("lock")),
    ] = False
    heading: Annotated[
        bool, Meta(title="Lock heading", description="The heading does not change.", extra=_for("lock"))
    ] = False
    drift: Annotated[
        Literal["all", "sideways", "heading"],
        Meta(
            title="Remove drift of",
            description="all: position and heading. sideways: only movement to the side of the direction it "
                        "faces. heading: only the rotation.",
            extra=_for("remove drift"),
        ),
    ] = "all"  # fmt: skip
