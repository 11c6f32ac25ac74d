"""Root motion: settings, the step, and a report of what it came to."""

from reflexa.steps.root_motion.kind import KIND, RootMotionReport, own_way
from reflexa.steps.root_motion.report import Report, Stance, report
from reflexa.steps.root_motion.settings import Operation, RootMotionSettings
from reflexa.steps.root_motion.step import root_motion
from reflexa.steps.root_motion.track import TravelTrack, track_of, travel_of

__all__ = [
    "KIND",
    "Operation",
    "Report",
    "RootMotionReport",
    "RootMotionSettings",
    "Stance",
    "TravelTrack",
    "own_way",
    "report",
    "root_motion",
    "track_of",
    "travel_of",
]
