"""The clips of a project by name, for steps that draw on them: every source's clips, and the results of takes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from reflexa.errors import ReadError, RecipeError
from reflexa.motion.clip import Clip
from reflexa.motion.clips import Clips
from reflexa.rig import Rig
from reflexa.take.evaluate import Cache, Surroundings, evaluate
from reflexa.take.model import Take
from reflexa.take.sequence import source_of

TAKE = "take:"


class ClipsByName(Mapping[str, tuple[Clip, Rig]]):
    """``FILE/CLIP`` gives a source's clip, ``take:NAME`` a take's result, computed when it is asked for.

    sources: file → its clips and rig. under_way: names of the takes that ask; one that they lead back to is a circle, and
    raises RecipeError.
    """

    def __init__(
        self,
        sources: Mapping[str, tuple[Clips, Rig]],
        takes: tuple[Take, ...] = (),
        cache: Cache | None = None,
        under_way: tuple[str, ...] = (),
    ) -> None:
        self._sources, self._takes, self._cache, self._under_way = sources, takes, cache, under_way
        self._clips = {f"{f}/{name}": (f, name) for f, (clips, _) in sources.items() for name in clips.names}
        self._by_name = {f"{TAKE}{t.name}": t for t in takes}

    @property
    def surroundings(self) -> Surroundings:
        """What a take may draw on that asks from here."""
        return Surroundings({f: rig for f, (_, rig) in self._sources.items()}, self, self._cache)

    def __getitem__(self, name: str) -> tuple[Clip, Rig]:
        if name in self._clips:
            return self.source(*self._clips[name])
        take = self._by_name[name]
        if take.name in self._under_way:
            line = " → ".join((*self._under_way, take.name))
            raise RecipeError(f"takes depend on each other in a circle: {line}", advice="Break the circle.")
        if not take.source.segments and f"{take.source.file}/{take.source.clip}" not in self._clips:
            raise RecipeError(f"the source of {take.name!r} is missing")
        done = evaluate(take, *source_of(take.source, self.source), self.within(take.name).surroundings)
        return done.result, done.rig

    def source(self, file: str, clip: str) -> tuple[Clip, Rig]:
        """A clip of a source file. Raises RecipeError where it is missing."""
        clips, rig = self._sources.get(file, (None, None))
        try:
            found = clips.named(clip) if clips is not None else None
        except ReadError as e:  # it is decoded only now
            raise RecipeError(f"the source {clip!r} of {file} cannot be read: {e.reason}", e.path, e.place) from None
        if found is None or rig is None:
            raise RecipeError(f"the source {clip!r} of {file} is missing")
        return found, rig

    def __iter__(self) -> Iterator[str]:
        yield from self._clips
        yield from self._by_name

    def __len__(self) -> int:
        return len(self._clips) + len(self._by_name)

    def __contains__(self, name: object) -> bool:
        return name in self._clips or name in self._by_name

    def within(self, take: str) -> ClipsByName:
        """The same, asked from inside a take: what draws on it again is a circle."""
        return ClipsByName(self._sources, self._takes, self._cache, (*self._under_way, take))
