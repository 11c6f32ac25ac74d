"""What can be said of contacts."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from reflexa.motion.contact import Contact
from reflexa.steps.model import Settings

LIMBS = ("left foot", "right foot", "left hand", "right hand")


class FootLockSettings(Settings, frozen=True):
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
        Meta(title="Let go at", ge=1, le=10, description="A contact goes on until height or speed is this many times as much.",
             extra={"unit": "×", "when": {"find": True}}),
    ] = 1.6  # fmt: skip
    shortest: Annotated[
        float,
        Meta(title="At least", ge=0, le=10, description="Shorter spans are no contacts.",
             extra={"unit": "s", "when": {"find": True}}),
    ] = 0.1  # fmt: skip
    hands: Annotated[
        bool,
        Meta(title="Hands too", description="A hand that is slow and near a prop is planted.", extra={"when": {"find": True}}),
    ] = False  # fmt: skip
    contacts: Annotated[
        tuple[Contact, ...],
        Meta(title="Contacts", description="Written down: limb, first and last frame, and what is held."),
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
        int, Meta(title="Ease in", ge=0, le=600, description="Frames over which the foot moves to its place before a contact.",
                  extra={"unit": "frames", "zero": "0.2 s"})
    ] = 0  # fmt: skip
    ease_out: Annotated[
        int, Meta(title="Ease out", ge=0, le=600, description="Frames over which the foot returns to its motion after a contact.",
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
