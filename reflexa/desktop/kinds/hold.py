"""Hold, by hand: which frame it is."""

from __future__ import annotations

from msgspec.structs import replace

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.kinds.time_lanes import Ends, TimeLanes

ENDS = Ends(
    lambda s, count: [min(s.frame, count - 1)],
    lambda s, _, frame, __: replace(s, frame=frame),
    "Drag the frame that is held",
)
VIEW = StepView(
    "hold", also="pause freeze stop", lanes=lambda session, time: TimeLanes(session, time, ENDS), lanes_title="Time"
)
