"""Shared pieces. Everything runs without network and without a monitor."""

from __future__ import annotations

import os
import tempfile

# What the application keeps for itself is kept for the tests alone.
os.environ["XDG_STATE_HOME"] = tempfile.mkdtemp(prefix="reflexa-state-")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import pytest

from reflexa.demo import clips, deckhand
from reflexa.motion.clip import Clip
from reflexa.rig import Rig, analyse


@pytest.fixture(scope="session")
def deckhand_rig() -> Rig:
    return analyse(deckhand.skeleton())


@pytest.fixture(scope="session")
def deckhand_clips(deckhand_rig: Rig) -> dict[str, Clip]:
    return {c.name: c for c in clips.all_clips(deckhand_rig.skeleton)}
