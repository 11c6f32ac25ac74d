"""What is open, as small objects put together: history, sources, selection, evaluator, player. Panels read it and send
their edits to it; they never talk to each other. Projects are values, so undo keeps the values."""

from reflexa.session.selection import RESULT, SOURCE
from reflexa.session.session import Session

__all__ = ["RESULT", "SOURCE", "Session"]
