"""Commands in any order: nothing that a hand can do in a row may end in an exception, or in a project that cannot be saved."""

from __future__ import annotations

import random
import sys
import traceback
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from reflexa.project import store

from .conftest import ready

# They leave the project, or wait for a file.
NOT_HERE = {"quit", "open", "open_demo", "new", "import", "save_as", "close"}


@pytest.fixture
def raised(monkeypatch) -> list[str]:
    """What slots raised: Qt hands it to the hook and goes on."""
    out: list[str] = []
    monkeypatch.setattr(sys, "excepthook", lambda *e: out.append("".join(traceback.format_exception(*e))))
    return out


@pytest.fixture
def no_dialogs(qapp) -> Iterator[None]:
    """Whatever asks a question is closed without an answer."""
    timer = QTimer(interval=20)

    def close() -> None:
        asking = QApplication.activeModalWidget() or QApplication.activePopupWidget()
        if asking is not None:
            asking.close()

    timer.timeout.connect(close)
    timer.start()
    yield
    timer.stop()


@pytest.mark.parametrize("seed", [2, 3])
def test_no_order_of_commands_raises_and_all_of_it_is_saved_and_undone(
    demo, qtbot, raised, no_dialogs, seed, tmp_path: Path
) -> None:
    session, rng = demo.session, random.Random(seed)
    ids = [c.id for c in demo.commands if c.id not in NOT_HERE]
    done: list[str] = []
    for _ in range(120):
        kind = rng.random()
        if kind < 0.08:
            name = rng.choice(session.project.takes).name if session.project.takes else ""
            done.append(f"open {name}")
            session.open_take(name)
        elif kind < 0.2 and session.take is not None:
            session.select_card(rng.randrange(-2, len(session.take.steps)))
            done.append(f"card {session.card}")
        elif kind < 0.4 and session.rig is not None:
            session.select_joint(rng.choice(session.rig.skeleton.names))
            done.append(f"joint {session.joint}")
        elif kind < 0.5:
            session.set_frame(rng.randrange(60))
            done.append(f"frame {session.frame}")
        else:
            done.append(rng.choice(ids))
            demo.commands.run(done[-1])
        # Now and then the hand is quicker than the computation.
        if rng.random() < 0.7:
            qtbot.waitUntil(lambda: not session.busy, timeout=20_000)
        QApplication.processEvents()
        assert not raised, (done[-8:], raised[0])
    session.pause()
    qtbot.waitUntil(lambda: not session.busy, timeout=20_000)
    first, second = tmp_path / "first", tmp_path / "second"
    store.save(session.project, first)
    store.save(store.load(first), second)
    for path in first.rglob("*.json"):
        assert (second / path.relative_to(first)).read_bytes() == path.read_bytes(), "what is saved is what is there"
    if session.take is not None and session.problem == "":
        ready(qtbot, demo)
    assert not raised
