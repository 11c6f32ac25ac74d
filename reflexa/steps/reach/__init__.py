"""Goals: a hand, foot, head or chain brought to a place on the stage, a prop's grip, another joint or a keyed target."""

from reflexa.steps.active_spans import ActiveSpan, weight_of
from reflexa.steps.reach.kind import KIND, ReachReport
from reflexa.steps.reach.settings import ReachSettings, TargetKey
from reflexa.steps.reach.step import reached
from reflexa.steps.reach.target import TargetTrack, distance, meets_with, target_of

__all__ = [
    "KIND",
    "ActiveSpan",
    "ReachReport",
    "ReachSettings",
    "TargetKey",
    "TargetTrack",
    "distance",
    "meets_with",
    "reached",
    "target_of",
    "weight_of",
]
