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
            title="Detect automatically",
            description="Detect contacts automatically, by height and speed. Off: use only the list below.",
        ),
    ] = True
    look_at: Annotated[
        Literal["this motion", "the source"],
        Meta(
            title="Detect in",
            description="the source: use the contacts from before the steps so far, which may have made feet "
                        "slide. this motion: use the motion that this step receives.",
            extra={"when": {"find": True}},
        ),
    ] = "this motion"  # fmt: skip
    low: Annotated[
        float,
        Meta(title="Height below", ge=0, le=100,
            description="A contact begins where the sole is lower than this above the ground, in percent of the leg length.",
             extra={"unit": "% of the leg", "when": {"find": True}}),
    ] = 6.0  # fmt: skip
    slow: Annotated[
        float,
        Meta(title="Speed below", ge=0, le=1000,
            description="A contact begins where the sole is slower than this, in percent of the leg length per second.",
             extra={"unit": "% of the leg per second", "when": {"find": True}}),
    ] = 40.0  # fmt: skip
    slack: Annotated[
        float,
        Meta(title="Release factor", ge=1, le=10,
            description="A contact ends when height or speed exceeds its limit by this factor.",
             extra={"unit": "×", "when": {"find": True}}),
    ] = 1.6  # fmt: skip
    shortest: Annotated[
        float,
        Meta(title="Shortest contact", ge=0, le=10, description="Shorter spans are ignored.",
             extra={"unit": "s", "when": {"find": True}}),
    ] = 0.1  # fmt: skip
    hands: Annotated[
        bool,
        Meta(title="Hands too", description="Also detect contacts of hands that are slow and close to a prop.",
            extra={"when": {"find": True}}),
    ] = False  # fmt: skip
    contacts: Annotated[
        tuple[Contact, ...],
        Meta(title="Contacts", description="The list of contacts: part, first and last frame, and what is held."),
    ] = ()
    hold: Annotated[
        Literal["mean", "first", "last"],
        Meta(title="Hold at",
            description="Where the foot is held: at its mean place during the contact, its first or its last place."),
    ] = "mean"  # fmt: skip
    surface: Annotated[
        Literal["surface below", "own height"],
        Meta(title="Stands on",
            description="surface below: heel and ball are placed on the ground or prop. own height: the foot keeps "
            "its height."),
    ] = "surface below"  # fmt: skip
    level: Annotated[
        bool,
        Meta(
            title="Whole figure first",
                description="Lower or raise the whole figure first if the whole clip hovers or sinks.",
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
        Meta(title="Pelvis adapts", ge=0, le=100,
            description="How much the pelvis lowers where a leg is too short to reach, in percent of the missing length.",
             extra={"unit": "%"}),
    ] = 100.0  # fmt: skip
    reach: Annotated[
        float,
        Meta(title="Leg stretches up to", ge=50, le=100,
            description="The largest stretch of a leg, unless it was more stretched before.",
             extra={"unit": "%"}),
    ] = 99.0  # fmt: skip
    toes: Annotated[bool, Meta(title="Toes stay flat", description="Toes stay on the ground while the heel lifts.")] = (
        True
    )

    def eases(self, rate: float) -> tuple[int, int]:
        """Ease in and ease out in frames."""
        usual = max(2, round(0.2 * rate))
        return self.ease_in or usual, self.ease_out or usual
