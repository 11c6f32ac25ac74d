"""Retarget: a clip of one rig onto another, with what it takes to judge the result."""

from reflexa.steps.retarget.kind import KIND, RetargetReport, measure
from reflexa.steps.retarget.quality import Quality
from reflexa.steps.retarget.step import RetargetSettings, check, retarget, rig_named

__all__ = ["KIND", "Quality", "RetargetReport", "RetargetSettings", "check", "measure", "retarget", "rig_named"]
