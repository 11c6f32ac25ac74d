"""Findings: one file each, all in one list. Pure functions of a clip and its rig."""

from reflexa.checks.helper_joints import helper_joints
from reflexa.checks.model import Check, Finding
from reflexa.checks.rig_sides import rig_sides
from reflexa.motion.clip import Clip
from reflexa.rig import Rig

CHECKS: tuple[Check, ...] = (helper_joints, rig_sides)


def findings(clip: Clip, rig: Rig) -> list[Finding]:
    """Everything that the checks find in a clip."""
    return [f for check in CHECKS for f in check(clip, rig)]


__all__ = ["CHECKS", "Check", "Finding", "findings"]
