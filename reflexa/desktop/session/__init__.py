"""What the window shows, in one place: a model that panels read and send their edits to."""

from reflexa.desktop.session.cards import RESULT_CARD, SOURCE_CARD, clip_of
from reflexa.desktop.session.core import Session

__all__ = ["RESULT_CARD", "SOURCE_CARD", "Session", "clip_of"]
