"""Reverse: which frame becomes which."""

from __future__ import annotations

from reflexa.desktop.kinds.model import StepView
from reflexa.desktop.kinds.time_lanes import TimeLanes

VIEW = StepView("reverse", also="backwards", lanes=TimeLanes, lanes_title="Time")
