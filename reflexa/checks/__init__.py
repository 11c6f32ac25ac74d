"""Findings: one file each, found by being here. Pure functions of a clip, its rig, its stage and its steps."""

from dataclasses import asdict, dataclass
from typing import Any

from reflexa import plugins
from reflexa.checks.floating import floats
from reflexa.checks.judging.blame import Judged, judge
from reflexa.checks.judging.groups import Group, accepted, counted, grouped
from reflexa.checks.model import Check, Finding, Limit, Measured, Repair, Subject
from reflexa.checks.penetration import depths
from reflexa.checks.registry import CHECKS, findings, look, register
from reflexa.checks.root_drift import drift
from reflexa.checks.slide import slides
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import EMPTY, Stage


@dataclass(frozen=True)
class Stood:
    """A stance in numbers: how far it slides, and how high the lowest point of its sole is over what lies below, cm."""

    limb: str
    first: int
    last: int
    slide_cm: float
    height_cm: float

    def plain(self) -> dict[str, Any]:
        """As plain data, to a hundredth of a millimetre."""
        return {**asdict(self), "slide_cm": round(self.slide_cm, 3), "height_cm": round(self.height_cm, 3)}


def stances(subject: Subject) -> list[Stood]:
    """Every stance of a clip, in order of time."""
    slid = {(m.joint, m.frames): m.size for m in slides(subject)}
    out = [
        Stood(f"{s.side} foot", *s.frames, slid.get((s.joint, s.frames), 0.0), 100 * float(height.min()))
        for s, height in subject.heights(on_spot=True)
    ]
    return sorted(out, key=lambda s: (s.first, s.limb))


def measured(clip: Clip, rig: Rig, stage: Stage = EMPTY) -> dict[str, Measured]:
    """The largest slide, penetration, float and drift of a clip in cm, found or not."""
    subject = Subject(clip, rig, stage)
    found = {"slide": slides(subject), "penetration": depths(subject), "float": floats(subject)}
    out = {name: max(all_, key=lambda m: m.size, default=Measured()) for name, all_ in found.items()}
    return {**out, "drift": drift(subject)}


__all__ = [
    "CHECKS",
    "Check",
    "Finding",
    "Group",
    "Judged",
    "Limit",
    "Measured",
    "Repair",
    "Subject",
    "accepted",
    "counted",
    "findings",
    "grouped",
    "judge",
    "look",
    "measured",
    "register",
    "stances",
]

# What installed packages bring, once everything here has its name.
plugins.load_entry_points("reflexa.checks", Check, register)
