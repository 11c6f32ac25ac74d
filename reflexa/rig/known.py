"""Rigs that readers have analysed before: a set of files of one skeleton shares one rig, and all that is computed from it."""

from __future__ import annotations

import hashlib
import threading
from collections import OrderedDict
from collections.abc import Hashable, Mapping
from dataclasses import replace
from functools import lru_cache

import numpy as np

from reflexa.motion.arrays import Array
from reflexa.motion.skeleton import Skeleton
from reflexa.rig.mesh import Mesh
from reflexa.rig.rig import UP, Rig, Stand, analyse

# So many skeletons are remembered, and so many ways in which feet of them stand.
_MOST, _MOST_STANDS = 16, 64
_known: OrderedDict[Hashable, Rig] = OrderedDict()
_lock = threading.Lock()


def known_rig(
    skeleton: Skeleton, up: Array = UP, tips: Mapping[str, Array] | None = None, meshes: tuple[Mesh, ...] = (),
    facing: Array | None = None,
) -> Rig:  # fmt: skip
    """What ``analyse`` makes of a skeleton, or the same rig again where it was asked about an equal one. Its ``skeleton`` takes
    the place of the one given."""
    key = _content(skeleton, up, tips or {}, meshes, facing)
    with _lock:
        found = _known.get(key)
        if found is not None:
            _known.move_to_end(key)
            return found
    made = analyse(skeleton, up, tips, meshes, facing)
    with _lock:
        found = _known.setdefault(key, made)
        while len(_known) > _MOST:
            _known.popitem(last=False)
    return found


def _content(
    skeleton: Skeleton, up: Array, tips: Mapping[str, Array], meshes: tuple[Mesh, ...], facing: Array | None
) -> Hashable:  # fmt: skip
    h = hashlib.sha256(repr((skeleton.names, list(tips))).encode())
    scales = skeleton.rest_scales
    arrays = (skeleton.parents, skeleton.rest_rotations, skeleton.rest_translations, scales, up, *tips.values(), facing)
    for a in arrays:
        h.update(b"-" if a is None else np.ascontiguousarray(a).tobytes() + b".")
    for mesh in meshes:
        # Colours and the names of shapes decide nothing here, but the rig hands its meshes on.
        for a in (mesh.normals, mesh.colours, *(a for _, a in mesh.shapes)):
            h.update(np.ascontiguousarray(a).tobytes())
        h.update(repr((mesh.digest, [name for name, _ in mesh.shapes])).encode())
    return h.digest()


@lru_cache(maxsize=_MOST_STANDS)
def with_stands(rig: Rig, stands: tuple[tuple[str, Stand], ...]) -> Rig:
    """The rig whose feet stand so, per side; the same rig for the same."""
    return replace(rig, stands=dict(stands))
