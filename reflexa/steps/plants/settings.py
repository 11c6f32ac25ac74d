"""What can be said of plants."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from reflexa.steps.model import Settings

LIMBS = ("left foot", "right foot", "left hand", "right hand")
Limb = Literal["left foot", "right foot", "left hand", "right hand"]
Frame = Annotated[int, Meta(ge=0, le=10_000_000)]


class Plant(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A span, both ends included, in which a foot or hand stays.

    ball_down: from which frame the ball of the foot is on the ground (before it the foot stands on its heel); heel_up:
    until which frame the heel is (after it the foot stands on its ball); ball_up: until which frame the ball is (after it
    the foot stands on the tip of its toes); left out: all through. place: where the ball (the wrist of a hand) is held,
    x, y, z in metres; left out: as the step says. on: off, it is left as it is.
    """

    limb: Limb
    first: Frame
    last: Frame
    ball_down: Frame | None = None
    heel_up: Annotated[int, Meta(ge=-1, le=10_000_000)] | None = None
    ball_up: Frame | None = None
    place: tuple[float, float, float] | None = None
    on: bool = True

    def __post_init__(self) -> None:
        if self.last < self.first:
            raise ValueError(f"a plant of the {self.limb} ends at {self.last}, before it begins at {self.first}")

    @property
    def ball_from(self) -> int:
        return self.first if self.ball_down is None else min(max(self.ball_down, self.first), self.last + 1)

    @property
    def ball_to(self) -> int:
        return self.last if self.ball_up is None else max(min(self.ball_up, self.last), self.ball_from)

    @property
    def heel_to(self) -> int:
        return self.last if self.heel_up is None else max(min(self.heel_up, self.last), self.first - 1)


class PlantsSettings(Settings, frozen=True):
    find: Annotated[
        bool,
        Meta(
            title="Find them", description="By height and speed, as below. Off: only those that are written down here."
        ),
    ] = True
    look_at: Annotated[
        Literal["this motion", "the source"],
        Meta(
            title="Found in",
            description="the source: where the feet stood before the steps so far, which may have made them slide.",
            extra={"when": {"find": True}},
        ),
    ] = "this motion"  # fmt: skip
    low: Annotated[
        float,
        Meta(title="Low is below", ge=0, le=100, description="Height of the sole over what lies below it, in leg lengths.",
             extra={"unit": "% of the leg", "when": {"find": True}}),
    ] = 6.0  # fmt: skip
    slow: Annotated[
        float,
        Meta(title="Slow is below", ge=0, le=1000, description="Speed of the sole, in leg lengths a second.",
             extra={"unit": "% of the leg a second", "when": {"find": True}}),
    ] = 40.0  # fmt: skip
    slack: Annotated[
        float,
        Meta(title="Let go at", ge=1, le=10, description="A plant goes on until height or speed is this many times as much.",
             extra={"unit": "×", "when": {"find": True}}),
    ] = 1.6  # fmt: skip
    shortest: Annotated[
        float,
        Meta(title="At least", ge=0, le=10, description="Shorter spans are no plants.",
             extra={"unit": "s", "when": {"find": True}}),
    ] = 0.1  # fmt: skip
    hands: Annotated[
        bool,
        Meta(title="Hands too", description="A hand that is slow and near a prop is planted.", extra={"when": {"find": True}}),
    ] = False  # fmt: skip
    plants: Annotated[
        tuple[Plant, ...],
        Meta(title="Plants", description="Written down: limb, first and last frame, and what is held."),
    ] = ()
    hold: Annotated[
        Literal["mean", "first", "last"],
        Meta(title="Held where it is", description="At the mean of the span, at its first frame, or at its last."),
    ] = "mean"  # fmt: skip
    surface: Annotated[
        Literal["surface below", "own height"],
        Meta(title="Stands on", description="surface below: heel and ball on the ground or prop. own height: as high as it was."),
    ] = "surface below"  # fmt: skip
    level: Annotated[
        bool,
        Meta(
            title="Whole figure first", description="A clip that hovers or sinks as a whole is lowered or lifted as a whole.",
            extra={"when": {"surface": "surface below"}},
        ),
    ] = True  # fmt: skip
    ease_in: Annotated[
        int, Meta(title="Ease in", ge=0, le=600, description="Before a plant the foot nears its place over so many frames.",
                  extra={"unit": "frames", "zero": "0.2 s"})
    ] = 0  # fmt: skip
    ease_out: Annotated[
        int, Meta(title="Ease out", ge=0, le=600, description="After a plant the foot goes back to its way over so many frames.",
                  extra={"unit": "frames", "zero": "0.2 s"})
    ] = 0  # fmt: skip
    share: Annotated[
        float,
        Meta(title="Pelvis gives way", ge=0, le=100, description="How much of what a leg lacks to its place the pelvis sinks.",
             extra={"unit": "%"}),
    ] = 100.0  # fmt: skip
    reach: Annotated[
        float,
        Meta(title="Leg stretches to", ge=50, le=100, description="No further than this, unless it was before.",
             extra={"unit": "%"}),
    ] = 99.0  # fmt: skip
    toes: Annotated[
        bool, Meta(title="Toes stay flat", description="While the heel lifts, the toes stay on the ground.")
    ] = True

    def eases(self, rate: float) -> tuple[int, int]:
        """Ease in and ease out in frames."""
        usual = max(2, round(0.2 * rate))
        return self.ease_in or usual, self.ease_out or usual
