"""Findings: one file each, all in one list. Pure functions of a clip, its rig, its stage and its steps."""

from reflexa.checks.drift import drift, root_drift
from reflexa.checks.footing import Measured, depths, floats, foot_height, foot_slide, slides
from reflexa.checks.goals import goals
from reflexa.checks.helper_joints import helper_joints
from reflexa.checks.model import Check, Finding, Subject
from reflexa.checks.rig_sides import rig_sides
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.stage import EMPTY, Stage
from reflexa.steps import Step

CHECKS: tuple[Check, ...] = (foot_slide, foot_height, root_drift, goals, helper_joints, rig_sides)


def findings(clip: Clip, rig: Rig, stage: Stage = EMPTY, steps: tuple[Step, ...] = ()) -> list[Finding]:
    """Everything that the checks find in a clip."""
    subject = Subject(clip, rig, stage, steps)
    return [f for check in CHECKS for f in check(subject)]


def measured(clip: Clip, rig: Rig, stage: Stage = EMPTY) -> dict[str, Measured]:
    """The largest slide, penetration, float and drift of a clip in cm, found or not."""
    subject = Subject(clip, rig, stage)
    found = {"slide": slides(subject), "penetration": depths(subject), "float": floats(subject)}
    out = {name: max(all_, key=lambda m: m.size, default=Measured()) for name, all_ in found.items()}
    return {**out, "drift": drift(subject)}


__all__ = ["CHECKS", "Check", "Finding", "Measured", "Subject", "findings", "measured"]
