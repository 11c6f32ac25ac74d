"""Rows of the key sheet: a joint's track each, by body part; with more than a few, a person's groups, and
parts, have rows of their own over them."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from reflexa.rig import Rig
from reflexa.steps.correction import CorrectionSettings, Key, Track

# So many tracks need no groups.
FEW = 5


@dataclass(frozen=True)
class Row:
    """One joint's track, or a group of them (no track of its own) with all that they have."""

    name: str
    track: Track | None
    members: tuple[Track, ...] = ()

    @cached_property
    def frames(self) -> NDArray[np.intp]:
        """The frames with any key, rising."""
        return np.array(sorted({k.frame for _, k in self.keys}), dtype=np.intp)

    @cached_property
    def keys(self) -> list[tuple[str, Key]]:
        """(joint, key) of everything in the row."""
        return [(t.joint, k) for t in (self.members if self.track is None else (self.track,)) for k in t.keys]


def rows_of(settings: CorrectionSettings | None, rig: Rig | None, folded: Set[str]) -> list[Row]:
    """Rows in the order of the tracks; those of folded parts are left out."""
    tracks = settings.tracks if settings else ()
    if len(tracks) < FEW or rig is None:
        return [Row(t.joint, t) for t in tracks]
    own = {n: g for g, names in reversed(list(rig.groups.items())) for n in names}
    groups: dict[str, list[Track]] = {}
    for track in tracks:
        groups.setdefault(own.get(track.joint) or _group(rig.part_of(track.joint)), []).append(track)
    out: list[Row] = []
    for name, members in groups.items():
        if len(members) == 1:
            out.append(Row(members[0].joint, members[0]))
            continue
        out.append(Row(name, None, tuple(members)))
        if name not in folded:
            out += [Row(t.joint, t) for t in members]
    return out


def _group(part: str) -> str:
    """The heading that a body part stands under."""
    side, _, limb = part.partition(" ")
    if side not in ("left", "right"):
        return "Body" if part else "Other joints"
    leg = limb in ("thigh", "shin", "foot", "toes")
    return f"{side.capitalize()} {'leg' if leg else 'hand' if 'finger' in limb or limb == 'thumb' else 'arm'}"
