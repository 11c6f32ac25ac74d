"""Root motion: settings, the step, and a report of what it came to."""

from reflexa.steps.root_motion.report import Report, Stance, report
from reflexa.steps.root_motion.settings import Operation, RootMotionSettings
from reflexa.steps.root_motion.step import ROOT_MOTION, Track, root_motion, track_of, travel_of

__all__ = [
    "ROOT_MOTION",
    "Operation",
    "Report",
    "RootMotionSettings",
    "Stance",
    "Track",
    "report",
    "root_motion",
    "track_of",
    "travel_of",
]
