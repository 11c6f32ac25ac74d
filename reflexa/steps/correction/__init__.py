"""Correction: a layer of keys. It adds: a key stores only the change, so what lies below still plays. Where it is told to
replace, its keys say the whole pose of their joints, from the rest pose on.

``edits``, ``timing``, ``copies``, ``reduction`` and ``layers`` hold what can be done with keys: functions from one layer's
settings to the next.
"""

from reflexa.steps.correction.edits import (
    all_keys,
    change_keys,
    frames_from,
    missing,
    move_keys,
    pose_key,
    set_key,
    usual_drive,
    usual_track,
    with_keys,
    with_track,
)
from reflexa.steps.correction.kind import KIND, CorrectionReport, layer_of
from reflexa.steps.correction.sampling import track_at
from reflexa.steps.correction.settings import CorrectionSettings, Key, Track
from reflexa.steps.correction.step import aim_point, correct

__all__ = [
    "KIND",
    "CorrectionReport",
    "CorrectionSettings",
    "Key",
    "Track",
    "aim_point",
    "all_keys",
    "change_keys",
    "correct",
    "frames_from",
    "layer_of",
    "missing",
    "move_keys",
    "pose_key",
    "set_key",
    "track_at",
    "usual_drive",
    "usual_track",
    "with_keys",
    "with_track",
]
