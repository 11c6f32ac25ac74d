"""Root motion: settings, the step, and a report of what it came to."""

from reflexa.steps.root_motion.kind import KIND, RootMotionReport, own_way
from reflexa.steps.root_motion.report import Footfall, Report, report
from reflexa.steps.root_motion.settings import Operation, RootMotionSettings
from reflexa.steps.root_motion.step import root_motion
from reflexa.steps.root_motion.track import TravelTrack, track_of, travel_of

__all__ = [
    "KIND",
    "Footfall",
    "Operation",
    "Report",
    "RootMotionReport",
    "RootMotionSettings",
    "TravelTrack",
    "own_way",
    "report",
    "root_motion",
    "track_of",
    "travel_of",
]
