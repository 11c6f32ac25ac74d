"""One file a kind of step: what the window adds for it. A kind without one gets the form made from its settings."""

from reflexa.desktop.kinds.model import GroundPoints, Moment, Offer, StepView
from reflexa.desktop.kinds.registry import VIEWS, by_hand, register, view_of

__all__ = ["VIEWS", "GroundPoints", "Moment", "Offer", "StepView", "by_hand", "register", "view_of"]
