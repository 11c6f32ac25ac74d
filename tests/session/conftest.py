"""Sessions without a window: what is open, computed and edited, as a model of its own."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from reflexa.session import Session
from reflexa.session.loop import PlainLoop
from reflexa.session.sources import demo_copy
from tests.helpers.sessions import idle, ready
from tests.helpers.shared_work import read_and_computed_once


@pytest.fixture(scope="package", autouse=True)
def _read_and_computed_once() -> Iterator[None]:
    with read_and_computed_once():
        yield


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    """A new project in a folder of its own."""
    made = Session(PlainLoop())
    made.sources.folder = tmp_path / "project"
    made.sources.folder.mkdir()
    yield made
    made.work.cancel_all()
    idle(made)
    made.work.end()


@pytest.fixture
def demo(session: Session) -> Session:
    """A copy of the demo project."""
    session.load(demo_copy())
    ready(session)
    return session
