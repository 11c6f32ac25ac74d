"""The repair of what is wrong for a moment: joints are led straight across it."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise
from typing import Any

import msgspec
import numpy as np

from reflexa.checks.model import Repair
from reflexa.motion.arrays import vector
from reflexa.motion.clip import Clip
from reflexa.steps.correction import CorrectionSettings
from reflexa.steps.correction.edits import pose_key
from reflexa.steps.correction.settings import Key, Track

# What lasts longer than this, seconds, is motion, and no repair knows what it should be instead.
LONGEST = 0.5


def bridged(clip: Clip, joints: Iterable[str], first: int, last: int) -> Repair | None:
    """A correction that leads joints from the frame before ``first`` to the one after ``last``, and acts there alone; None where
    the clip has no such frames, or it would take too long."""
    a, b = first - 1, last + 1
    if a < 0 or b >= clip.frames or (b - a) / clip.rate > LONGEST:
        return None
    tracks = []
    for joint in joints:
        keys = [msgspec.structs.replace(pose_key(clip, joint, f, f), then="linear") for f in (a, b)]
        tracks.append(Track(joint, tuple(_same_way(*p) for p in pairwise([keys[0], *keys]))))
    settings: dict[str, Any] = msgspec.to_builtins(CorrectionSettings(how="replace", tracks=tuple(tracks)))
    envelope = ((float(a), 0.0), (float(first), 1.0), (float(last), 1.0), (float(b), 0.0))
    return Repair("Lead it across", "correction", settings, envelope)


def _same_way(before: Key, key: Key) -> Key:
    """A key whose turn is written the way that lies nearest to the one before: a turn and the rest of the way round are one."""
    turn = np.array(key.rotate)
    size = float(np.linalg.norm(turn))
    if size < 1e-9:
        return key
    ways = [turn, turn * (1 - 360.0 / size)]
    nearest = min(ways, key=lambda w: float(np.linalg.norm(w - np.array(before.rotate))))
    return msgspec.structs.replace(key, rotate=vector(nearest.round(9)))
