"""What a format says of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from reflexa.formats.imported import Imported, ReadOptions
from reflexa.motion.arrays import Array
from reflexa.motion.clip import Clip
from reflexa.rig import Rig


@dataclass(frozen=True)
class WriteOptions:
    """frame: ``"source"`` writes as the source was where that can be, ``"clean"`` the format's own standard.
    unit: metres per unit of a clean file whose format declares none. notes: put into the file where there is room.
    joints: those that the file says something of; the others rest (None: all). order: of the rotation channels of each joint,
    where the format has such, such as ``ZXY`` (empty: as the source, or the format's own)."""

    frame: str = "source"
    unit: float = 1.0
    notes: Mapping[str, Any] | None = None
    joints: frozenset[str] | None = None
    order: str = ""


Encode = Callable[[list[Clip], Rig, Imported | None, WriteOptions], bytes]


def _never(_: bytes) -> bool:
    return False


def _none_beside(_: Path, __: bytes) -> list[str]:
    return []


# What a file may say of a clip besides its motion and rate.
EVERYTHING = frozenset({"name", "loop", "play_rate", "events", "tracks", "scale", "additive"})


@dataclass(frozen=True)
class Format:
    """One file format; what is not said is the common case.

    suffixes: lower case, the first is the one that is written. read(path, options) raises ReadError. looks_like(first
    bytes): for files whose suffix says nothing. encode(clips, rig, source, options): bytes, as the source where one is
    given; raises WriteError; None: it is only read. place: where it stands in lists, the lowest first. family: formats of
    one family hold the same things, so that a file of one can be written as a file of another was. several_clips,
    several_roots: what one file can hold. declares_unit: else it is guessed from the figure, and can be told.
    beside(path, bytes): relative names of the files that belong to one. triangles(path, most): the meshes of a file
    ``(n, 3, 3)`` in metres, +Y up, where it can hold things for the stage; raises ReadError.
    holds: what of ``EVERYTHING`` a file of it says of a clip.
    """

    name: str
    title: str
    suffixes: tuple[str, ...]
    read: Callable[[Path, ReadOptions], Imported]
    looks_like: Callable[[bytes], bool] = _never
    encode: Encode | None = None
    place: int = 1000
    family: str = ""
    several_clips: bool = True
    several_roots: bool = True
    declares_unit: bool = True
    beside: Callable[[Path, bytes], list[str]] = _none_beside
    triangles: Callable[[Path, int], Array] | None = None
    holds: frozenset[str] = frozenset()

    @property
    def suffix(self) -> str:
        """The one that is written."""
        return self.suffixes[0]

    @property
    def with_others(self) -> bool:
        """True if other files can belong to a file of this format."""
        return self.beside is not _none_beside

    def alike(self, other: Format) -> bool:
        """True if files of the other format have the same layout."""
        return self.name == other.name or bool(self.family and self.family == other.family)
