"""A clip with the joints of another skeleton, met by name."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.motion.clip import Clip
from reflexa.motion.skeleton import Skeleton


def by_names(clip: Clip, to: Skeleton, own_bones: bool = False) -> Clip:
    """The clip with the joints of another skeleton, by name; joints that it does not move rest. own_bones: of translations only
    what moves beyond rest is taken, so that each bone keeps the length that it has there."""
    here, there = clip.skeleton, to
    both = [n for n in there.names if n in here.index]
    into = np.array([there.index[n] for n in both], dtype=np.intp)
    of = np.array([here.index[n] for n in both], dtype=np.intp)
    rotations = np.tile(there.rest_rotations, (clip.frames, 1, 1))
    translations = np.tile(there.rest_translations, (clip.frames, 1, 1))
    rotations[:, into], translations[:, into] = clip.rotations[:, of], clip.translations[:, of]
    if own_bones:
        translations[:, into] += there.rest_translations[into] - here.rest_translations[of]
    scales = None
    if clip.scales is not None:
        rest = np.ones((len(there), 3)) if there.rest_scales is None else there.rest_scales
        scales = np.tile(rest, (clip.frames, 1, 1))
        scales[:, into] = clip.scales[:, of]
    return replace(clip, skeleton=there, rotations=rotations, translations=translations, scales=scales)
