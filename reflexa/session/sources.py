"""The files of one open project: what was read of them, their rigs, and what could not be read.

There is one of these for every project that is opened. Work that reads for it holds on to it: when another project is
open by then, what was read lands here, where nobody looks any more, and nowhere else.
"""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass, field
from importlib.resources import as_file, files
from pathlib import Path

from reflexa.errors import ReflexaError
from reflexa.formats import Imported
from reflexa.progress import Progress, quiet
from reflexa.project import store
from reflexa.project.sources import read_source
from reflexa.project.store import Project, SourceFile
from reflexa.project.uses import files_for
from reflexa.rig import Rig
from reflexa.rig.notes import Notes, with_notes
from reflexa.take import Source


@dataclass(eq=False)
class Sources:
    """folder: where the project lies. placed: it was given a place by a person; one that was not is asked for at the first
    save. read_only: somebody else has it. documents: file → what was read; missing: file → why it was not. read_as: as what
    each was read. waiting: those that are still to be read, in the background; first: files that are wanted before others.
    state: the project's texts on disk as they were read or saved here, with digests. saving: they are being written."""

    folder: Path
    placed: bool = True
    read_only: bool = False
    documents: dict[str, Imported] = field(default_factory=dict)
    missing: dict[str, str] = field(default_factory=dict)
    read_as: dict[str, SourceFile] = field(default_factory=dict)
    waiting: dict[str, SourceFile] = field(default_factory=dict)
    first: frozenset[str] = frozenset()
    state: dict[str, str] = field(default_factory=dict)
    saving: bool = False
    _rigs: dict[str, tuple[Imported, Notes, Rig]] = field(default_factory=dict)

    def add_read(self, entry: SourceFile, document: Imported) -> None:
        """What was read of a source now stands for it."""
        self.documents[entry.file] = document
        self.read_as[entry.file] = entry
        self.missing.pop(entry.file, None)

    def others(self) -> tuple[str, ...]:
        """The names of the project's texts that are others on disk than they were when they were read or saved here."""
        return tuple(sorted(changed(self.state, store.state(self.folder))))

    def write(self, project: Project, tell: Progress = quiet) -> dict[str, str]:
        """Write the project's texts; as what they lie on disk then, with digests. Raises WriteError, and what ``tell`` raises
        to stop it."""
        return store.save(project, self.folder, self.state, tell)

    def gone(self, source: Source) -> tuple[str, str]:
        """What of a take's source is not there, and what is known of it; empty texts where all is there."""
        for file, clip in [(s.file, s.clip) for s in source.segments] or [(source.file, source.clip)]:
            document = self.documents.get(file)
            if file in self.waiting:
                return f"Reading {file}…", ""
            if document is None:
                return f"{file} is missing or cannot be read", self.missing.get(file, "")
            if document.head(clip) is None:
                there = ", ".join(document.or_rest.names[:6])
                return f"{file} has no clip {clip!r}", f"It has {there}."
        return "", ""

    def rig_of(self, file: str, project: Project) -> Rig | None:
        """The rig of a source, with what was said of it in the project."""
        document = self.documents.get(file)
        if document is None:
            return None
        said = project.rig_document(document.rig.key)
        if said is None:
            return document.rig
        kept = self._rigs.get(file)
        if kept is None or kept[0] is not document or kept[1] is not said.notes:
            kept = self._rigs[file] = (document, said.notes, with_notes(document.rig, said.notes)[0])
        return kept[2]

    def rigs(self, project: Project) -> Mapping[str, Rig]:
        """Every rig of the project by the file's name: what a step can take a clip to."""
        return {f: rig for f in self.documents if (rig := self.rig_of(f, project)) is not None}

    def as_said(self, rig: Rig, project: Project) -> Rig:
        """A rig with what is said of it in the project now."""
        file = next((f for f, d in self.documents.items() if d.rig.key == rig.key), "")
        return self.rig_of(file, project) or rig

    def document_of(self, rig: Rig | None, first: Imported | None = None) -> Imported | None:
        """The source whose rig it is; ``first`` where that is one of several."""
        key = rig.key if rig is not None else ""
        if first is not None and first.rig.key == key:
            return first
        return next((d for d in self.documents.values() if d.rig.key == key), None)


def changed(before: Mapping[str, str], now: Mapping[str, str]) -> set[str]:
    """The names of texts that are others than before, with digests of what is in them."""
    return {n for n in {*before, *now} if before.get(n) != now.get(n)}


def opened(folder: Path, placed: bool = True, tell: Progress = quiet) -> tuple[Project, Sources]:
    """A project folder with those of its sources that the first take needs; the others are read when it is open. Raises
    ReadError; sources that are missing or damaged are named and left out."""
    project = store.load(folder)
    sources = Sources(folder, placed, state=store.state(folder))
    wanted = files_for(project, project.takes[0]) if project.takes else set()
    at_once = [s for s in project.sources if s.file in wanted or not store.inside(folder, s.file).is_file()]
    for i, entry in enumerate(at_once):
        tell(f"Reading {entry.file}", i / len(at_once))
        try:
            sources.add_read(entry, read_source(folder, entry))
        except ReflexaError as e:
            sources.missing[entry.file] = str(e)
    for rig in sources.rigs(project).values():
        _ = rig.height  # takes its time, and is wanted when the project is shown
    return project, sources


DEMO_PREFIX = "reflexa-"


def demo_copy() -> Path:
    """A copy of the demo project that may be changed at will."""
    folder = Path(tempfile.mkdtemp(prefix=DEMO_PREFIX)) / "Saltmarsh Ferry"
    with as_file(files("reflexa.demo").joinpath("project")) as shipped:
        shutil.copytree(shipped, folder)
    return folder
