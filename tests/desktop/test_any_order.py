"""Commands in any order: nothing that a hand can do in a row may end in an exception, in a project that cannot be saved, or
in a file that holds another motion than the evaluation."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from reflexa.formats import read
from reflexa.output.takes import Into, export_take
from reflexa.project import store
from reflexa.session import RESULT, SOURCE
from reflexa.take import Export, evaluate
from tests.helpers.windows import idle, ready

# They leave the project, or wait for a file.
NOT_HERE = {"quit", "open", "new", "import", "save_as"}
# Two each time, forty with --long.
SEEDS = [1, *(pytest.param(n, marks=pytest.mark.long) for n in range(2, 41))]


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


def do_anything(window, rng: random.Random, ids: list[str]) -> str:
    """Something that a hand can do."""
    session, kind = window.session, rng.random()
    if kind < 0.08:
        name = rng.choice(session.project.takes).name if session.project.takes else ""
        session.open_take(name)
        return f"open {name}"
    if kind < 0.2 and session.take is not None:
        cards = [SOURCE, RESULT, *(s.id for s in session.take.steps)]
        session.selection.select_card(rng.choice(cards))
        return f"card {session.selection.card}"
    if kind < 0.4 and session.computed.rig is not None:
        session.selection.select_joint(rng.choice(session.computed.rig.skeleton.names))
        return f"joint {session.selection.joint}"
    if kind < 0.5:
        session.player.set_frame(rng.randrange(60))
        return f"frame {session.player.frame}"
    command = rng.choice(ids)
    window.commands.run(command)
    return command


@pytest.mark.parametrize("seed", SEEDS)
def test_no_order_of_commands_raises_and_what_is_exported_is_what_was_evaluated(
    demo, qtbot, raised, no_dialogs, seed, tmp_path: Path
) -> None:
    session, rng = demo.session, random.Random(seed)
    ids = [c.id for c in demo.commands if c.id not in NOT_HERE]
    done: list[str] = []
    for _ in range(70):
        done.append(do_anything(demo, rng, ids))
        # Now and then the hand is quicker than the computation.
        if rng.random() < 0.7:
            idle(qtbot, demo)
        QApplication.processEvents()
        assert not raised, (done[-8:], raised[0])
    session.player.pause()
    idle(qtbot, demo)
    first, second = tmp_path / "first", tmp_path / "second"
    store.save(session.project, first)
    store.save(store.load(first), second)
    for path in first.rglob("*.json"):
        assert (second / path.relative_to(first)).read_bytes() == path.read_bytes(), "what is saved is what is there"
    if session.take is not None and session.computed.problem == "" and session.source_head is not None:
        ready(qtbot, demo)
        export_and_compare(demo, tmp_path / "out", done)
    assert not raised, (done[-8:], raised[0])


def export_and_compare(window, folder: Path, done: list[str]) -> None:
    """The file that is written holds the whole take, whatever is looked at just now."""
    session = window.session
    line, export = session.computed.settled, Export(format="glb", ranges="whole")
    proof = export_take(line, export, session.document, session.sources.documents.values(), Into(folder))
    back = read(proof.path).clips[0]
    assert back.frames == line.result.frames
    assert np.abs(back.model[1] - line.result.model[1]).max() < 1e-4, done
    fresh = evaluate(
        session.take,
        session.document.clip(session.take.source.clip),
        session.source_rig,
        replace(session.within, cache=None),
    )
    assert np.array_equal(fresh.result.rotations, line.result.rotations), "it is what the steps come to, computed anew"
