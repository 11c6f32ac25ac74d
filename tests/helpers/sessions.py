"""A session in tests, without a window: waiting for it, and finding one's way in it."""

from __future__ import annotations

from reflexa.session import Session, takes
from reflexa.take import Source


def ready(session: Session) -> None:
    """Wait until what is computed is what was asked for."""

    def is_ready() -> bool:
        line = session.computed.evaluation
        return not session.dragging and not session.work.busy and line is not None and line.take == session.take

    assert session.loop.run(is_ready), session.computed.problem


def idle(session: Session) -> None:
    """Wait until nothing is under way."""
    assert session.loop.run(lambda: not session.work.busy)


def open_take(session: Session, name: str) -> None:
    """Open a take and wait for it."""
    session.open_take(name)
    ready(session)


def new_take(session: Session, file: str, clip: str) -> None:
    """A take of a clip, without steps."""
    takes.make(session, [Source(file, clip)])
    ready(session)


def step_id(session: Session, index: int) -> str:
    """The id of a step by its place in the step list."""
    return session.take.steps[index].id


def select_step(session: Session, index: int) -> None:
    session.selection.select_card(step_id(session, index))
