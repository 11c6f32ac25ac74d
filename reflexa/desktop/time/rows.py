"""Rows of the key sheet: a joint's track each, by body part; with more than a few, a person's groups, and
parts, have rows of their own over them."""

from __future__ import annotations

from collections.abc import Sequence, Set
from dataclasses import dataclass
from functools import cached_property
from operator import attrgetter

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from reflexa.rig import Rig
from reflexa.steps.correction import CorrectionSettings, Key, Track

_FRAME = attrgetter("frame")
# So many tracks need no groups.
FEW = 5


@dataclass(frozen=True)
class Row:
    """One joint's track, or a group of them (no track of its own) with all that they have."""

    name: str
    track: Track | None
    members: tuple[Track, ...] = ()

    @property
    def tracks(self) -> tuple[Track, ...]:
        """Everything in the row."""
        return self.members if self.track is None else (self.track,)

    @cached_property
    def frames(self) -> NDArray[np.intp]:
        """The frames with any key, rising."""
        at = [np.fromiter(map(_FRAME, t.keys), np.intp, len(t.keys)) for t in self.tracks]
        return at[0] if len(at) == 1 else np.unique(np.concatenate(at))

    def key_within(self, frame: float, reach: float) -> int | None:
        """The frame with a key that lies nearest to one, less than so many frames away; None where there is none."""
        at = int(np.searchsorted(self.frames, frame))
        near = min(self.frames[max(at - 1, 0) : at + 1].tolist(), key=lambda f: abs(f - frame), default=None)
        return near if near is not None and abs(near - frame) < reach else None

    @cached_property
    def keys(self) -> list[tuple[str, Key]]:
        """(joint, key) of everything in the row."""
        return [(t.joint, k) for t in self.tracks for k in t.keys]


@dataclass(frozen=True)
class RowView:
    """Which rows are shown: parts that are folded away, joints that are hidden, and whether only what is selected is shown."""

    folded: frozenset[str] = frozenset()
    hidden: frozenset[str] = frozenset()
    only_selected: bool = False


ALL = RowView()
Units = list[tuple[str, list[Track]]]


def units_of(tracks: Sequence[Track], rig: Rig | None) -> Units:
    """Tracks by the group or part that they stand under; a track that stands alone is a unit of its joint's name."""
    if len(tracks) < FEW or rig is None:
        return [(t.joint, [t]) for t in tracks]
    own = {n: g for g, names in reversed(list(rig.groups.items())) for n in names}
    groups: dict[str, list[Track]] = {}
    for track in tracks:
        groups.setdefault(own.get(track.joint) or _group(rig.part_of(track.joint)), []).append(track)
    return [(name if len(members) > 1 else members[0].joint, members) for name, members in groups.items()]


def rows_of(
    settings: CorrectionSettings | None, rig: Rig | None, view: RowView = ALL, selected: Set[str] = frozenset()
) -> list[Row]:
    """Rows in the order of the tracks, as far as the view shows them. selected: joints that are."""
    out: list[Row] = []
    for name, members in units_of(settings.tracks if settings else (), rig):
        shown = [t for t in members if is_shown(t.joint, view, selected)]
        if len(members) > 1 and shown:
            out.append(Row(name, None, tuple(shown)))
        if name not in view.folded or len(members) == 1:
            out += [Row(t.joint, t) for t in shown]
    return out


def is_shown(joint: str, view: RowView, selected: Set[str]) -> bool:
    """True if the row of a joint is visible (its body part is not collapsed)."""
    return joint in selected if view.only_selected else joint not in view.hidden


def moved_row(
    settings: CorrectionSettings, rig: Rig | None, name: str, beside: str, after: bool
) -> CorrectionSettings | None:
    """The layer with a row just before another one, or after it; a part's row takes its joints along. None where they cannot
    stand side by side: a joint stays under its part."""
    units = units_of(settings.tracks, rig)
    unit = {n: u for u, members in units for n in (u, *(t.joint for t in members))}
    if name not in unit or beside not in unit:
        return None
    if name == unit[name]:
        order = _beside([u for u, _ in units], name, unit[beside], after)
        units.sort(key=lambda u: order.index(u[0]))
    elif beside != unit[beside] and unit[beside] == unit[name]:
        members = next(m for u, m in units if u == unit[name])
        order = _beside([t.joint for t in members], name, beside, after)
        members.sort(key=lambda t: order.index(t.joint))
    else:
        return None
    return replace(settings, tracks=tuple(t for _, members in units for t in members))


def _beside(names: list[str], name: str, other: str, after: bool) -> list[str]:
    if name == other:
        return names
    rest = [n for n in names if n != name]
    at = rest.index(other) + after
    return [*rest[:at], name, *rest[at:]]


def _group(part: str) -> str:
    """The heading that a body part stands under."""
    side, _, limb = part.partition(" ")
    if side not in ("left", "right"):
        return "Body" if part else "Other joints"
    leg = limb in ("thigh", "shin", "foot", "toes")
    return f"{side.capitalize()} {'leg' if leg else 'hand' if 'finger' in limb or limb == 'thumb' else 'arm'}"
