"""A rig as far as it decides what fits it: kept in the index, so that no file is read to tell."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import msgspec
import numpy as np

from reflexa.motion.skeleton import Skeleton
from reflexa.rig import Rig, analyse

# Rests that differ by less than this (metres, shares of a turn) are one: files round.
_DIGITS = 5


@dataclass(frozen=True)
class PlainRig:
    """Joint names, parents, rest rotations (4 a joint) and translations (3 a joint), which body part has which joints, and the
    ``key`` of names and hierarchy."""

    names: tuple[str, ...]
    parents: tuple[int, ...]
    rotations: tuple[float, ...]
    translations: tuple[float, ...]
    parts: dict[str, tuple[str, ...]]
    key: str

    @cached_property
    def id(self) -> str:
        """A short word for all of it: equal for rigs of one build under the same names."""
        return hashlib.sha256(self.packed).hexdigest()[:16]

    @cached_property
    def packed(self) -> bytes:
        """As bytes, to be kept."""
        return msgspec.json.encode(self)


def plain_rig(rig: Rig) -> PlainRig:
    """What is kept of a rig."""
    s = rig.skeleton
    return PlainRig(
        s.names, tuple(s.parents.tolist()), _rounded(s.rest_rotations), _rounded(s.rest_translations),
        {part: tuple(names) for part, names in rig.body_map.items()}, rig.key,
    )  # fmt: skip


def _rounded(values: np.ndarray) -> tuple[float, ...]:
    return tuple(round(v, _DIGITS) + 0.0 for v in values.ravel().tolist())


def unpacked(data: bytes) -> PlainRig:
    """From bytes. Raises msgspec's errors where they are none of ours."""
    return msgspec.json.decode(data, type=PlainRig)


@lru_cache(maxsize=256)
def whole_rig(packed: bytes) -> Rig:
    """The rig again, as far as names, places and parts go."""
    p = unpacked(packed)
    rotations = np.array(p.rotations).reshape(-1, 4)
    rotations /= np.linalg.norm(rotations, axis=1, keepdims=True)
    skeleton = Skeleton(p.names, np.array(p.parents, dtype=np.intp), rotations, np.array(p.translations).reshape(-1, 3))
    return replace(analyse(skeleton), body_map=p.parts)
