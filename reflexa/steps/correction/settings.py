"""What can be said of a layer of keys."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from msgspec import Meta, Struct

from reflexa.motion.arrays import Vector
from reflexa.motion.curves import Interpolation
from reflexa.steps.model import Settings

Space = Literal["own", "parent", "world"]
Drives = Literal["joint", "limb", "chain", "body", "aim"]
Ends = Literal["feet", "hands"]
ZERO: Vector = (0.0, 0.0, 0.0)
Slopes = tuple[float, float, float, float, float, float, float]


class Key(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A change at a whole frame: rotation vector in degrees, move in metres, swing of a limb's elbow or knee in degrees;
    ``then`` leads to the next key. arrive, leave: how fast turn (three numbers), move (three) and swing change on the way
    to the key and on from it, per frame, where they are eased; None leaves that to the curve."""

    frame: Annotated[int, Meta(ge=0, le=10_000_000)]
    rotate: Vector = ZERO
    move: Vector = ZERO
    swing: float = 0.0
    then: Interpolation = "smooth"
    arrive: Slopes | None = None
    leave: Slopes | None = None

    @property
    def neutral(self) -> bool:
        """Does it say "no change here"?"""
        return self.rotate == ZERO and self.move == ZERO and self.swing == 0


class Track(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The keys of one joint, in rising order of frames, and the space that they are meant in.

    drives: the joint alone; the limb, or the chain (a tail, a long neck), that it is the end of, by inverse kinematics
    (bones keep their lengths); the body, from the pelvis, with the limbs' ends in ``stay`` ("feet", "hands") kept where
    they are; or the aim of the head: the point that it looks at is moved, and neck and head turn after it.
    """

    joint: str
    keys: tuple[Key, ...] = ()
    space: Space = "own"
    drives: Drives = "joint"
    stay: tuple[Ends, ...] = ()

    def __post_init__(self) -> None:
        for a, b in pairwise(self.keys):
            if a.frame >= b.frame:
                raise ValueError(f"keys must rise from frame to frame: {b.frame} comes after {a.frame}")


class CorrectionSettings(Settings, frozen=True):
    how: Annotated[
        Literal["add", "replace"],
        Meta(
            title="Layer",
            description="add: keys change the motion below. replace: joints with keys ignore the motion below; "
                        "their keys set the pose, relative to the rest pose.",
        ),
    ] = "add"  # fmt: skip
    falloff: Annotated[
        int,
        Meta(
            title="Falloff", ge=1, le=1000, extra={"unit": "frames"},
            description="How many frames before and after a new key its neutral keys are placed.",
        ),
    ] = 12  # fmt: skip
    whole_clip: Annotated[
        bool, Meta(title="Whole clip", description="New keys change the whole clip: no neutral keys are added.")
    ] = False
    cycle: Annotated[
        int,
        Meta(
            title="Repeat every", ge=0, le=1_000_000, extra={"unit": "frames", "zero": "never"},
            description="The layer repeats after this many frames, counted from its first key, independent of "
                        "the length of the clip. Its end leads back to its beginning. 0: it does not repeat.",
        ),
    ] = 0  # fmt: skip
    tracks: Annotated[tuple[Track, ...], Meta(title="Keys", description="The keys of each joint.")] = ()

    def __post_init__(self) -> None:
        joints = [t.joint for t in self.tracks]
        if len(set(joints)) < len(joints):
            raise ValueError(f"two tracks for {next(j for j in joints if joints.count(j) > 1)}")

    def track(self, joint: str) -> Track:
        """The track of a joint; an empty one where it has none."""
        return next((t for t in self.tracks if t.joint == joint), Track(joint))
