"""Sources read in the background, while the window is used: a project of hundreds is open at once."""

from __future__ import annotations

import time
from collections import deque

from reflexa.errors import ReflexaError
from reflexa.formats import Imported
from reflexa.project.sources import read_source
from reflexa.project.store import Project, SourceFile
from reflexa.project.uses import files_for
from reflexa.session.signals import Signal
from reflexa.session.sources import Sources
from reflexa.session.work import Job, Work
from reflexa.take import Take

# Lists that are made anew for every single file would cost more than the files.
_EVERY = 1.0
# What nobody waits for leaves so many seconds to the first picture.
BREATH = 0.4


def still_to_read(sources: Sources, project: Project, take: Take | None) -> str:
    """A file that a take needs and that is still to be read; empty: all is there."""
    if not sources.waiting or take is None:
        return ""
    return next((f for f in sorted(files_for(project, take)) if f in sources.waiting), "")


class Reader:
    """``needed``: what the open take needs is there, or other than it was. ``others``: other sources are."""

    def __init__(self, work: Work) -> None:
        self.needed, self.others = Signal[()](), Signal[()]()
        self._work = work
        self._sources: Sources | None = None
        self._last = 0.0

    def read(self, sources: Sources, project: Project, take: Take | None) -> None:
        """Have read what nobody has read yet, or otherwise than the project wants it now; what the open take needs first."""
        self._sources = sources
        sources.first = frozenset(files_for(project, take)) if take is not None else frozenset()
        under_way = bool(sources.waiting)
        for entry in project.sources:
            if entry.file in sources.documents:
                if sources.read_as.get(entry.file, entry) != entry:
                    self._read_anew(sources, entry)
            elif entry.file not in sources.missing:
                sources.waiting[entry.file] = entry
        if sources.waiting and not under_way:
            self._read_waiting(sources)

    def _read_anew(self, sources: Sources, entry: SourceFile) -> None:
        sources.read_as[entry.file] = entry

        def land(document: Imported) -> None:
            if sources.read_as.get(entry.file) == entry:
                sources.add_read(entry, document)
                self.needed.emit()

        self._work.start(Job(lambda _: read_source(sources.folder, entry), land))

    def _read_waiting(self, sources: Sources) -> None:
        """One after the other, until none is left. What was read comes into the session on the interface thread, now and then."""
        read: deque[tuple[SourceFile, Imported | str]] = deque()

        def call(job: Job[None]) -> None:
            done = set[str]()
            if not sources.first & set(sources.waiting):
                time.sleep(BREATH)
            while left := [e for f, e in list(sources.waiting.items()) if f not in done]:
                entry = next((e for e in left if e.file in sources.first), left[0])
                try:
                    read.append((entry, read_source(sources.folder, entry)))
                except ReflexaError as e:
                    read.append((entry, str(e)))
                done.add(entry.file)
                job.tell(f"Read {entry.file}", len(done) / (len(done) + len(left)))

        def told(_text: str, _part: float) -> None:
            if time.monotonic() - self._last > _EVERY or any(e.file in sources.first for e, _ in read):
                self._land_read(sources, read)

        def ended(_: None) -> None:
            self._land_read(sources, read)
            if sources.waiting:  # one came after the last was read
                self._read_waiting(sources)

        job = Job(call, ended)
        job.told = told
        self._work.start(job)

    def _land_read(self, sources: Sources, read: deque[tuple[SourceFile, Imported | str]]) -> None:
        files = set()
        while read:
            entry, found = read.popleft()
            wanted = sources.waiting.pop(entry.file, entry)
            files.add(entry.file)
            if isinstance(found, str):
                sources.missing[entry.file] = found
                continue
            sources.add_read(entry, found)
            if wanted != entry:  # it was told meanwhile how it is to be read
                self._read_anew(sources, wanted)
        self._last = time.monotonic()
        if sources is self._sources and files:
            (self.needed if files & sources.first else self.others).emit()
