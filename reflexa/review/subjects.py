"""What is reviewed: a clip of a file, or a take of a project with all that came of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from reflexa.checks import Judged, judge
from reflexa.errors import ReadError
from reflexa.formats import ReadOptions, read
from reflexa.formats.imported import Note
from reflexa.motion.clip import Clip
from reflexa.project.opened import Opened, open_project, take_called
from reflexa.rig import Rig
from reflexa.take import Evaluation, Source, Take, evaluate
from reflexa.take.model import View


@dataclass(frozen=True, eq=False)
class Reviewed:
    """line: the evaluated take; a clip alone is one without steps. limits: thresholds; notes: what the reader noticed."""

    name: str
    line: Evaluation
    limits: Mapping[str, float] = field(default_factory=dict)
    notes: tuple[Note, ...] = ()

    @property
    def before(self) -> tuple[Clip, Rig]:
        return self.line.clips[0], self.line.rigs[0]

    @property
    def after(self) -> tuple[Clip, Rig]:
        return self.line.result, self.line.rig

    @cached_property
    def judged(self) -> Judged:
        """What is found, and who brought it in."""
        return judge(self.line, self.limits, self.notes)

    @cached_property
    def frames_before(self) -> NDArray[np.intp]:
        """The frame of the source that stands at each frame of the result ``(frames,)``."""
        return self.line.moments(len(self.line.clips) - 1, 0)

    def view(self, name: str) -> View | None:
        """A saved view by its name."""
        return next((v for v in self.line.take.views if v.name == name), None)


def subjects(said: str, options: ReadOptions = ReadOptions()) -> list[Reviewed]:
    """Of ``FILE``, ``FILE#CLIP``, ``PROJECT`` or ``PROJECT#TAKE``: every clip or take that it names. Raises ReadError and
    RecipeError."""
    text, _, name = said.partition("#")
    path = Path(text)
    if path.is_dir():
        opened = open_project(path)
        takes = [take_called(opened, name)] if name else list(opened.project.takes)
        if not takes:
            raise ReadError("is a project without takes", path)
        return [of_take(opened, t) for t in takes]
    document = read(path, options)
    clips = [document.or_rest[i] for i, n in enumerate(document.or_rest.names) if not name or n == name]
    if not clips:
        known = ", ".join(document.clips.names)
        raise ReadError(f"has no clip {name!r}", path, advice=f"Available: {known}.")
    return [of_clip(c, document.rig, path.name, document.notes_on(c.name)) for c in clips]


def of_take(opened: Opened, take: Take) -> Reviewed:
    """A take of an open project."""
    document = opened.documents.get(take.source.file)
    notes = document.notes_on(take.source.clip) if document is not None else ()
    return Reviewed(take.name, opened.evaluated(take), opened.project.limits, notes)


def of_clip(clip: Clip, rig: Rig, file: str = "", notes: tuple[Note, ...] = ()) -> Reviewed:
    """A clip alone."""
    return Reviewed(clip.name, evaluate(Take(clip.name, Source(file, clip.name)), clip, rig), notes=notes)
