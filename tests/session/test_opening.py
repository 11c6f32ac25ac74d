"""What is there while a take is computed for the first time."""

from __future__ import annotations

from pathlib import Path

from reflexa.motion import kernels
from reflexa.session import Session
from reflexa.session.loop import PlainLoop
from reflexa.session.sources import demo_copy
from tests.helpers.sessions import ready


def test_the_source_can_be_looked_at_before_the_result_is_there() -> None:
    session, seen = Session(PlainLoop()), []
    session.evaluator.waiting.connect(lambda: seen.append((session.evaluator.source, session.computed.evaluation)))
    session.load(demo_copy())
    ready(session)
    early = [source for source, line in seen if line is None and source is not None]
    assert early and early[0].clip is session.computed.evaluation.clips[0]
    assert session.evaluator.source is None, "the result has taken its place"


def test_while_loops_are_compiled_it_is_said_that_this_happens_once(monkeypatch) -> None:
    session = Session(PlainLoop())
    monkeypatch.setattr(kernels, "compiled_so_far", lambda: (3, 115))
    session.evaluator.tell_wait()
    assert session.evaluator.computing == "Compiling the motion loops, once: 3 of 115"


def test_nothing_is_compiled_that_the_disk_has(tmp_path: Path) -> None:
    from reflexa.motion.kernels.warming import warm

    warm()
    assert kernels.compiled_so_far() is None
