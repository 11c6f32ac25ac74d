"""A project folder with what was read of its sources, to compute its takes without a window."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import Imported
from reflexa.motion.clip import Clip
from reflexa.project import store
from reflexa.project.sources import read_source
from reflexa.project.store import Project
from reflexa.rig import Rig
from reflexa.rig.notes import with_notes
from reflexa.take import Cache, Evaluation, Take, evaluate
from reflexa.take.clips import ClipsByName
from reflexa.take.sequence import source_of


@dataclass(frozen=True, eq=False)
class Opened:
    """documents: file → what was read; missing: file → why it was not."""

    folder: Path
    project: Project
    documents: Mapping[str, Imported]
    missing: Mapping[str, str] = field(default_factory=dict)

    @cached_property
    def rigs(self) -> Mapping[str, Rig]:
        """Every rig by the file's name, with what was said of it in the project."""
        out = {}
        for file, document in self.documents.items():
            said = self.project.rig_document(document.rig.key)
            out[file] = document.rig if said is None else with_notes(document.rig, said.notes)[0]
        return out

    @cached_property
    def clips(self) -> ClipsByName:
        """Every clip and take of the project."""
        sources = {f: (d.or_rest, self.rigs[f]) for f, d in self.documents.items()}
        return ClipsByName(sources, self.project.takes, Cache())

    def source(self, take: Take) -> tuple[Clip, Rig]:
        """The clip and rig that a take begins with. Raises RecipeError where a file is missing."""
        return source_of(take.source, self.clips.source)

    def evaluated(self, take: Take) -> Evaluation:
        """Raises RecipeError where a source is missing; a step that cannot be run is passed over."""
        return evaluate(take, *self.source(take), self.clips.within(take.name).surroundings, lenient=True)


def open_project(folder: Path) -> Opened:
    """Read a project folder and its sources. Raises ReadError; sources that cannot be read are named and left out."""
    project = store.load(folder)
    documents: dict[str, Imported] = {}
    missing: dict[str, str] = {}
    for entry in project.sources:
        try:
            documents[entry.file] = read_source(folder, entry)
        except ReflexaError as e:
            missing[entry.file] = str(e)
    return Opened(folder, project, documents, missing)


def take_called(opened: Opened, name: str) -> Take:
    """A take by its name. Raises ReadError where there is none."""
    take = opened.project.take(name)
    if take is None:
        known = ", ".join(t.name for t in opened.project.takes) or "none"
        raise ReadError(f"has no take {name!r}", opened.folder, advice=f"Available: {known}.")
    return take
