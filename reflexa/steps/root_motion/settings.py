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
            description="from pelvis: the root joint takes the pelvis's travel. in place: the figure stays where it starts. "
            "from feet: the root moves so that the standing foot is still. along path: along a path drawn on the ground. "
            "turn and scale: another direction, longer or shorter. to origin: start at the origin, facing forward. lock: no "
            "travel along an axis. remove drift: end where it began. hand back: the pelvis takes the root's travel.",
        ),
    ] = "from pelvis"  # fmt: skip
    line: Annotated[
        travel.Line,
        Meta(
            title="Track",
            description="How closely the pelvis's way over the ground is taken: exact, smoothed, or straight and even.",
            extra=_for(*_BY_PELVIS),
        ),
    ] = "smoothed"  # fmt: skip
    seconds: Annotated[
        float,
        Meta(
            title="Smoothed over", ge=0.02, le=10,
            description="What is faster than this stays in the pelvis.",
            extra={"unit": "s", "when": {"operation": [*_BY_PELVIS], "line": "smoothed"}},
        ),
    ] = 0.5  # fmt: skip
    turn: Annotated[
        bool,
        Meta(
            title="With the turn", description="The heading too, not the place alone.",
            extra=_for("from pelvis", "in place", "from feet", "along path", "hand back"),
        ),
    ] = True  # fmt: skip
    place: Annotated[
        bool,
        Meta(
            title="With the place", description="The place over the ground; off: the heading alone.",
            extra=_for("from pelvis", "in place", "hand back"),
        ),
    ] = True  # fmt: skip
    height: Annotated[
        bool,
        Meta(
            title="With the height", description="The root joint rises and sinks with the pelvis.",
            extra=_for("from pelvis", "hand back"),
        ),
    ] = False  # fmt: skip
    path: Annotated[
        tuple[tuple[float, float], ...],
        Meta(
            title="Path",
            description="Points on the ground, x and z in metres, in the order walked.",
            extra=_for("along path"),
        ),
    ] = ()
    walked: Annotated[
        Literal["as far as it travels", "to its end"],
        Meta(
            title="Path is walked",
            description="as far as it travels: the clip keeps its own speed along the path, so the feet fit. to its end: the "
            "whole path in the clip's time, at the pace drawn.",
            extra=_for("along path"),
        ),
    ] = "as far as it travels"  # fmt: skip
    pace: Annotated[
        tuple[tuple[Annotated[float, Meta(ge=0, le=1)], Annotated[float, Meta(ge=0)]], ...],
        Meta(
            title="Pace", description="Share of the time (0 to 1) and speed there beside the other points; smooth between.",
            extra={"when": {"operation": "along path", "walked": "to its end"}},
        ),
    ] = ()  # fmt: skip
    steady: Annotated[
        bool,
        Meta(title="Steady", description="At the feet's mean speed all through, straight on.", extra=_for("from feet")),
    ] = False
    angle: Annotated[
        float,
        Meta(
            title="Turned by", ge=-3600, le=3600, description="To the left, about the clip's start.",
            extra={"unit": "°", **_for("turn and scale")},
        ),
    ] = 0.0  # fmt: skip
    scale: Annotated[
        float,
        Meta(
            title="Longer by", ge=-100, le=100, description="1 leaves the travel as long as it is.",
            extra={"unit": "×", **_for("turn and scale")},
        ),
    ] = 1.0  # fmt: skip
    x: Annotated[bool, Meta(title="Lock x", description="No travel to the side of the world.", extra=_for("lock"))] = (
        True
    )
    z: Annotated[bool, Meta(title="Lock z", description="No travel along the world's forward.", extra=_for("lock"))] = (
        False
    )
    y: Annotated[
        bool, Meta(title="Lock height", description="The root joint stays as high as it starts.", extra=_for("lock"))
    ] = False
    heading: Annotated[bool, Meta(title="Lock heading", description="No turning.", extra=_for("lock"))] = False
    drift: Annotated[
        Literal["all", "sideways", "heading"],
        Meta(
            title="Drift of",
            description="all: place and heading. sideways: what leads off the way it faces. heading: the turn alone.",
            extra=_for("remove drift"),
        ),
    ] = "all"  # fmt: skip
