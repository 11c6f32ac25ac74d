"""Shared pieces. Everything runs without network and without a monitor."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

# What the application keeps for itself is kept for the tests alone.
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="reflexa-state-")
os.environ["XDG_CONFIG_HOME"] = tempfile.mkdtemp(prefix="reflexa-settings-")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import pytest

from reflexa.demo import clips, deckhand
from reflexa.library import index, shelves
from reflexa.motion.clip import Clip
from reflexa.rig import Rig, analyse


@pytest.fixture(scope="session", autouse=True)
def _laid_down(tmp_path_factory: pytest.TempPathFactory) -> None:
    """What is laid down for a while, copies of the demo too, is cleared away with what else the tests write."""
    os.environ["TMPDIR"] = tempfile.tempdir = str(tmp_path_factory.mktemp("laid down"))


@pytest.fixture(autouse=True)
def _index(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The index of the shelves, and the list of them, are each test's own."""
    monkeypatch.setattr(index, "index_path", lambda: tmp_path / "own cache/library.sqlite")
    monkeypatch.setattr(shelves, "shelves_path", lambda: tmp_path / "own settings/shelves.json")


@pytest.fixture(scope="session")
def deckhand_rig() -> Rig:
    return analyse(deckhand.skeleton())


@pytest.fixture(scope="session")
def deckhand_clips(deckhand_rig: Rig) -> dict[str, Clip]:
    return {c.name: c for c in clips.all_clips(deckhand_rig.skeleton)}
