"""Retarget: a clip of one rig onto another, with what it takes to judge the result."""

from reflexa.steps.retarget.quality import Quality, measure
from reflexa.steps.retarget.step import RETARGET, RetargetSettings, check, retarget

__all__ = ["RETARGET", "Quality", "RetargetSettings", "check", "measure", "retarget"]
