"""Files taken into the project: read first, copied then, all in one edit. What is stopped leaves nothing behind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from reflexa import describe
from reflexa.errors import ReflexaError
from reflexa.formats import Imported, read
from reflexa.project import store
from reflexa.project.relink import known_by
from reflexa.project.sources import add_source
from reflexa.project.store import SourceFile
from reflexa.session.session import Session
from reflexa.session.work import Job
from reflexa.take import Cancelled
from reflexa.words import counted

# The import and the takes made of it are one thing to undo.
MERGE = "import"


@dataclass(frozen=True, eq=False)
class Imports:
    """What was read, under its names in the project, with what is said there of each; and what could not be, in words. names:
    path → name in the project."""

    documents: dict[str, Imported]
    entries: list[SourceFile]
    errors: list[str]
    names: dict[Path, str]
    said: dict[str, list[str]]


# Where a file lies: the name of its library folder, and its path on it.
Origin = tuple[str, str]


def import_job(
    session: Session, paths: list[Path], done: Callable[[Imports], None], origins: Mapping[Path, Origin] | None = None
) -> Job[Imports]:
    """The job that copies files into the project and reads them. They come into the project that is open now, or
    into none. origins: of those that come from a library folder."""
    in_library = origins or {}
    sources = session.sources

    def call(job: Job[Imports]) -> Imports:
        found, entries, errors, names, said = {}, [], [], {}, {}
        copied: list[Path] = []
        try:
            for i, path in enumerate(paths):
                job.tell(f"Reading {path.name}", i / len(paths))
                try:
                    read(path)  # before anything is copied: a damaged file does not get in
                    name, new = add_source(sources.folder, path)
                    copied += new
                    found[name] = read(store.inside(sources.folder, name))
                    library_folder, at = in_library.get(path, ("", ""))
                    said[name] = describe.lines(found[name])
                    entries.append(
                        known_by(SourceFile(name, library_folder=library_folder, library_path=at), found[name])
                    )
                    names[path] = name
                except ReflexaError as e:
                    errors.append(str(e))
            job.tell("", 1.0)
        except Cancelled:
            for file in copied:
                file.unlink(missing_ok=True)
            raise
        return Imports(found, entries, errors, names, said)

    def land(found: Imports) -> None:
        for entry in found.entries:
            sources.add_read(entry, found.documents[entry.file])
        known = {s.file for s in session.project.sources}
        new = tuple(e for e in found.entries if e.file not in known)
        if new:
            what = f"import {new[0].file}" if len(new) == 1 else f"import {len(new)} files"
            session.history.end_merge()
            session.edit(what, replace(session.project, sources=(*session.project.sources, *new)), MERGE)
        done(found)

    job = Job(call, land)
    job.title = f"The import of {paths[0].name if len(paths) == 1 else counted(len(paths), 'file')}"
    job.lands = lambda: session.sources is sources
    return job
