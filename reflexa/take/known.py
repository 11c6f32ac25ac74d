"""The clips of a project by name, for steps that draw on them: every source's clips, and the results of takes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from reflexa.errors import RecipeError
from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.take.evaluate import Cache, evaluate
from reflexa.take.model import Take

TAKE = "take:"
Known = tuple[Clip, Rig]


class KnownClips(Mapping[str, Known]):
    """``FILE/CLIP`` gives a source's clip, ``take:NAME`` a take's result, computed when it is asked for.

    sources: file → its clips and rig. Takes that draw on each other in a circle raise RecipeError.
    """

    def __init__(
        self,
        sources: Mapping[str, tuple[tuple[Clip, ...], Rig]],
        takes: tuple[Take, ...] = (),
        cache: Cache | None = None,
    ) -> None:
        self._clips: dict[str, Known] = {
            f"{f}/{c.name}": (c, rig) for f, (clips, rig) in sources.items() for c in clips
        }
        self._rigs = {f: rig for f, (_, rig) in sources.items()}
        self._takes = {f"{TAKE}{t.name}": t for t in takes}
        self._cache = cache
        self._under_way: list[str] = []

    def __getitem__(self, name: str) -> Known:
        if name in self._clips:
            return self._clips[name]
        take = self._takes[name]
        if name in self._under_way:
            line = " → ".join((*self._under_way, name))
            raise RecipeError(f"takes draw on each other in a circle: {line.replace(TAKE, '')}", advice="Break it.")
        source = self._clips.get(f"{take.source.file}/{take.source.clip}")
        if source is None:
            raise RecipeError(f"the source of {take.name!r} is missing")
        self._under_way.append(name)
        try:
            done = evaluate(take, *source, self._cache, rigs=self._rigs, clips=self)
        finally:
            self._under_way.pop()
        return done.result, done.rig

    def __iter__(self) -> Iterator[str]:
        yield from self._clips
        yield from self._takes

    def __len__(self) -> int:
        return len(self._clips) + len(self._takes)

    def __contains__(self, name: object) -> bool:
        return name in self._clips or name in self._takes

    def within(self, take: str) -> KnownClips:
        """The same, asked from inside a take: what draws on it again is a circle."""
        self._under_way = [f"{TAKE}{take}"]
        return self
