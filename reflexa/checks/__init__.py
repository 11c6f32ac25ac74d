"""Findings: one file each, found by being here. Pure functions of a clip, its rig, its stage and its steps."""

from reflexa.checks.floating import floats
from reflexa.checks.model import Check, Finding, Measured, Repair, Subject
from reflexa.checks.penetration import depths
from reflexa.checks.registry import CHECKS, findings, register
from reflexa.checks.root_drift import drift
from reflexa.checks.slide import slides
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import EMPTY, Stage


def measured(clip: Clip, rig: Rig, stage: Stage = EMPTY) -> dict[str, Measured]:
    """The largest slide, penetration, float and drift of a clip in cm, found or not."""
    subject = Subject(clip, rig, stage)
    found = {"slide": slides(subject), "penetration": depths(subject), "float": floats(subject)}
    out = {name: max(all_, key=lambda m: m.size, default=Measured()) for name, all_ in found.items()}
    return {**out, "drift": drift(subject)}


__all__ = ["CHECKS", "Check", "Finding", "Measured", "Repair", "Subject", "findings", "measured", "register"]
