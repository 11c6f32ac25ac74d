"""Goals: a hand, foot, head or chain brought to a place on the stage, a prop's grip, another joint or a keyed target."""

from reflexa.steps.goal.kind import KIND, GoalReport
from reflexa.steps.goal.settings import GoalSettings, TargetKey
from reflexa.steps.goal.step import goal
from reflexa.steps.goal.target import TargetTrack, distance, meets_with, target_of
from reflexa.steps.reaches import Reach, weight_of

__all__ = [
    "KIND",
    "GoalReport",
    "GoalSettings",
    "Reach",
    "TargetKey",
    "TargetTrack",
    "distance",
    "goal",
    "meets_with",
    "target_of",
    "weight_of",
]
