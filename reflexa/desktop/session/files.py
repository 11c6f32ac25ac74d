"""Takes and sources of the project, and the project on disk."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from reflexa.desktop.session.cards import RESULT_CARD
from reflexa.errors import ReflexaError
from reflexa.formats import Imported, ReadOptions, read
from reflexa.names import free_name
from reflexa.project import store
from reflexa.project.store import Project, SourceFile
from reflexa.rig.sides import swap_in_text
from reflexa.steps import Step
from reflexa.take import Source, Take


class Files:
    """Part of the session: takes and sources of the project, and the project on disk."""

    @property
    def unsaved(self) -> bool:
        return self.project != self._saved

    def new_takes(self, sources: list[Source], step: Step, swap_names: bool = False) -> list[str]:
        """One take with one step for each clip, in one go: named as the clip, or as its mirror image; the names made."""
        taken = {t.name for t in self.project.takes}
        made: list[Take] = []
        for source in sources:
            title = swap_in_text(source.clip) if swap_names else source.clip
            name = free_name(title if title != source.clip else f"{source.clip}, {step.name.lower()}", taken)
            taken.add(name)
            made.append(Take(name, source, (step,)))
        if made:
            self.card = self.tap = RESULT_CARD
            self.frame = 0
            label = f"{step.name.lower()} for {len(made)} clip{'s' if len(made) > 1 else ''}"
            self.edit(label, replace(self.project, takes=(*self.project.takes, *made)), made[0].name)
            self.selection_changed.emit()
        return [t.name for t in made]

    def new_take(self, source: Source, name: str = "") -> None:
        """Make a take of a clip and open it."""
        name = free_name(name or source.clip, {t.name for t in self.project.takes})
        take = Take(name, source)
        self.card = self.tap = RESULT_CARD
        self.frame = 0
        self.edit(f"make take {name}", replace(self.project, takes=(*self.project.takes, take)), name)
        self.selection_changed.emit()

    def delete_take(self, name: str) -> None:
        takes_left = tuple(t for t in self.project.takes if t.name != name)
        self.edit(f"delete take {name}", replace(self.project, takes=takes_left))

    def rename_take(self, old: str, new: str) -> None:
        take = self.project.take(old)
        new = new.strip()
        if take is not None and new and new != old:
            new = free_name(new, {t.name for t in self.project.takes if t.name != old})
            current = new if self.take_name == old else self.take_name
            self.edit(f"rename take to {new}", self.project.with_take(old, replace(take, name=new)), current)

    def import_files(self, paths: list[Path], done: Callable[[list[Imported], list[str]], None]) -> None:
        """Copy files into the project and read them, off the interface thread. done: what was read, and errors."""
        folder = self.folder
        assert folder is not None

        def run() -> tuple[list[tuple[str, Imported]], list[str]]:
            found: list[tuple[str, Imported]] = []
            errors: list[str] = []
            for path in paths:
                try:
                    read(path)  # before anything is copied: a damaged file does not get in
                    name = store.add_source(folder, path)
                    found.append((name, read(folder / store.SOURCES / name)))
                except ReflexaError as e:
                    errors.append(str(e))
            return found, errors

        def finish(result: tuple[list[tuple[str, Imported]], list[str]]) -> None:
            found, errors = result
            self.documents |= dict(found)
            self._read_as |= {n: SourceFile(n) for n, _ in found}
            known = {s.file for s in self.project.sources}
            new = tuple(SourceFile(n) for n, _ in dict(found).items() if n not in known)
            if new:
                names = ", ".join(s.file for s in new)
                self.edit(f"import {names}", replace(self.project, sources=(*self.project.sources, *new)))
            done([d for _, d in found], errors)

        self._start(self._readers, run, finish)

    def set_facing(self, file: str, facing: str) -> None:
        """Tell which way the figure of a source faces in its file; an empty text takes the guess."""
        sources = tuple(replace(s, facing=facing) if s.file == file else s for s in self.project.sources)
        self.edit(f"set the facing of {file}", replace(self.project, sources=sources))

    def set_unit(self, file: str, unit: float | None) -> None:
        """Tell the unit of a source (metres per unit); None takes the guess."""
        sources = tuple(replace(s, unit=unit) if s.file == file else s for s in self.project.sources)
        self.edit(f"set the unit of {file}", replace(self.project, sources=sources))

    def _read_anew(self) -> None:
        """Read those sources again that the project now wants read otherwise than they were."""
        folder = self.folder
        for entry in self.project.sources:
            if folder is None or entry.file not in self.documents or self._read_as.get(entry.file, entry) == entry:
                continue
            self._read_as[entry.file] = entry

            def run(e: SourceFile = entry) -> Imported:
                return read(folder / store.SOURCES / e.file, ReadOptions(e.unit, e.positions, e.facing))

            def finish(document: Imported, e: SourceFile = entry) -> None:
                self.documents[e.file] = document
                self.evaluation = None
                self.project_changed.emit()
                self.take_changed.emit()
                self.evaluate()

            self._start(self._readers, run, finish)

    def load(self, folder: Path) -> None:
        """Open a project folder. Raises ReadError; sources that are missing or damaged are named and left out."""
        project = store.load(folder)
        documents: dict[str, Imported] = {}
        missing: dict[str, str] = {}
        for source in project.sources:
            try:
                documents[source.file] = read(
                    store.inside(folder, source.file), ReadOptions(source.unit, source.positions, source.facing)
                )
            except ReflexaError as e:
                missing[source.file] = str(e)
        self.adopt(project, folder, documents, missing)

    def adopt(self, project: Project, folder: Path, documents: dict[str, Imported], missing: dict[str, str]) -> None:
        self.pause()
        self.project, self.folder, self._saved = project, folder, project
        self.documents, self.missing = documents, missing
        self._read_as = {s.file: s for s in project.sources}
        self._past, self._future = [], []
        self.card = self.tap = RESULT_CARD
        self.joint, self.prop, self.keys, self.frame = "", "", set(), 0
        self.evaluation = self.preview = None
        self.problems = {}
        self.take_name = project.takes[0].name if project.takes else ""
        for signal in (self.project_changed, self.take_changed, self.selection_changed, self.saved_changed):
            signal.emit()
        self.evaluate()

    def save(self) -> None:
        """Write the project folder. Raises WriteError."""
        assert self.folder is not None
        store.save(self.project, self.folder)
        self._saved = self.project
        self.saved_changed.emit()
