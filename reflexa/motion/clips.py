"""The clips of one file: known by name and length at once, each decoded when somebody first looks at it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from threading import RLock
from typing import overload

from reflexa.motion.clip import Clip, Event


@dataclass(frozen=True)
class Head:
    """What is known of a clip before it is decoded. rate in frames a second."""

    name: str
    frames: int
    rate: float
    events: tuple[Event, ...] = ()

    @classmethod
    def of(cls, clip: Clip) -> Head:
        """The head of a clip that is decoded."""
        return cls(clip.name, clip.frames, clip.rate, clip.events)

    @property
    def duration(self) -> float:
        """Seconds from the first frame to the last."""
        return (self.frames - 1) / self.rate


class Clips(Sequence[Clip]):
    """The clips of a file in its order. decode: gives the clip of a number; called once for each, by one thread at a time. What
    it raises is raised at each look."""

    def __init__(self, heads: Iterable[Head], decode: Callable[[int], Clip]) -> None:
        self.heads = tuple(heads)
        self._decode, self._clips, self._lock = decode, dict[int, Clip](), RLock()

    @classmethod
    def of(cls, clips: Sequence[Clip]) -> Clips:
        """Clips that are decoded already."""
        made = cls(map(Head.of, clips), clips.__getitem__)
        made._clips.update(enumerate(clips))
        return made

    def __reduce__(self) -> tuple[Callable[[Sequence[Clip]], Clips], tuple[tuple[Clip, ...]]]:
        return Clips.of, (tuple(self),)

    @property
    def names(self) -> tuple[str, ...]:
        """The names of all clips; nothing is decoded for it."""
        return tuple(h.name for h in self.heads)

    def decoded(self, name: str) -> Clip | None:
        """The clip of that name where it is decoded already; waits for nobody."""
        return self._clips.get(self.names.index(name)) if name in self.names else None

    def named(self, name: str) -> Clip | None:
        """The clip of that name, None where there is none; no other is decoded."""
        return self[self.names.index(name)] if name in self.names else None

    def __len__(self) -> int:
        return len(self.heads)

    def __iter__(self) -> Iterator[Clip]:
        return (self[i] for i in range(len(self)))

    @overload
    def __getitem__(self, at: int) -> Clip: ...
    @overload
    def __getitem__(self, at: slice) -> tuple[Clip, ...]: ...
    def __getitem__(self, at: int | slice) -> Clip | tuple[Clip, ...]:
        if isinstance(at, slice):
            return tuple(self[i] for i in range(*at.indices(len(self))))
        number = range(len(self))[at]
        with self._lock:
            if number not in self._clips:
                self._clips[number] = self._decode(number)
            return self._clips[number]
