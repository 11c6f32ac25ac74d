"""Does a clip fit a rig: as it is, under other names, or by retarget? Asked of the same functions that do it."""

from __future__ import annotations

import numpy as np

from reflexa.rig import Rig
from reflexa.rig.match import rename_map
from reflexa.steps.retarget.step import check

EXACTLY, RENAME, RETARGET, NOT = FITS = ("exactly", "by-rename", "by-retarget", "not")
# Rests that are this near are the same, metres: files round.
_SAME = 1e-4


def fit(source: Rig, target: Rig) -> str:
    """How a clip of one rig comes onto another: one of ``FITS``."""
    if source.key == target.key and _same_rest(source, target):
        return EXACTLY
    if rename_map(source, target) is not None:
        return RENAME
    return NOT if check(source, target) else RETARGET


def _same_rest(a: Rig, b: Rig) -> bool:
    (qa, pa), (qb, pb) = a.skeleton.rest_model, b.skeleton.rest_model
    return bool(np.abs(pa - pb).max() < _SAME and (1 - np.abs((qa * qb).sum(axis=-1))).max() < _SAME)
