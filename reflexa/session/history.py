"""The project as a value, and the way back: every edit is one value after another."""

from __future__ import annotations

from dataclasses import dataclass, replace
from operator import is_

from reflexa.project.store import Project
from reflexa.session.selection import Place
from reflexa.session.signals import Signal
from reflexa.take.edits import keep_locked
from reflexa.take.families import followed
from reflexa.take.gate import admitted

_MOST = 500


@dataclass(frozen=True)
class _Past:
    label: str
    project: Project
    place: Place
    merge: str = ""


class History:
    """``changed(before, place)``: there is another value, from which one, and where to look then. ``saved_changed``: there is
    more to be saved, or less. ``let_go``: a hand that made edits in a row has come to its end."""

    def __init__(self) -> None:
        self.changed, self.saved_changed, self.let_go = Signal[Project, Place](), Signal[()](), Signal[()]()
        self.project = Project("Untitled")
        self._saved = self.project
        self._past: list[_Past] = []
        self._future: list[_Past] = []
        # True where the last edit goes on with the one before it, as while something is dragged.
        self.goes_on = False

    @property
    def unsaved(self) -> bool:
        return self.project != self._saved

    def open(self, project: Project) -> None:
        """Begin anew with a project as it is on disk."""
        self.project = self._saved = project
        self._past, self._future = [], []

    def saved(self, project: Project) -> None:
        """The project as it is now, or was a moment ago, is on disk."""
        self._saved = project
        self.saved_changed.emit()

    def edit(self, label: str, project: Project, before: Place, after: Place, merge: str = "") -> None:
        """Go to the next value. before, after: where one looked, and looks then. merge: edits in a row with the same word
        undo together. Variations follow. Raises LockedError where a locked step would be changed, RecipeError for what cannot be
        kept, and where a variation would no longer be one."""
        if project == self.project:
            return
        project = self._admitted(self._followed(project))
        self.goes_on = bool(merge and self._past and self._past[-1].merge == merge)
        if not self.goes_on:
            self._past.append(_Past(label, self.project, before, merge))
            del self._past[:-_MOST]
        self._future.clear()
        self._go(project, after)

    def _followed(self, project: Project) -> Project:
        """The project with every variation as the take that it follows."""
        takes = followed(self.project.takes, project.takes)
        return project if all(map(is_, takes, project.takes)) else replace(project, takes=takes)

    def _admitted(self, project: Project) -> Project:
        """The project with takes of plain data alone: the gate that every edit goes through."""
        takes = []
        for take in project.takes:
            old = self.project.take(take.name)
            if old is not take:
                take = admitted(take, old)
                if old is not None:
                    keep_locked(old, take)
            takes.append(take)
        same = all(a is b for a, b in zip(takes, project.takes, strict=True))
        return project if same else replace(project, takes=tuple(takes))

    def end_merge(self) -> None:
        """The next edit is undone on its own, whatever its word."""
        if self._past:
            self._past[-1] = replace(self._past[-1], merge="")
        self.goes_on = False
        self.let_go.emit()

    def undo(self, place: Place) -> None:
        """Back by one edit. place: where one looks now, for the way forth."""
        self._travel(self._past, self._future, place)

    def redo(self, place: Place) -> None:
        self._travel(self._future, self._past, place)

    def _travel(self, source: list[_Past], target: list[_Past], place: Place, count: int = 1) -> None:
        self.goes_on = False
        project = self.project
        for _ in range(min(count, len(source))):
            past = source.pop()
            target.append(_Past(past.label, project, place))
            project, place = past.project, past.place
        if project is not self.project:
            self._go(project, place)

    @property
    def labels(self) -> tuple[str, ...]:
        """What was done, and could be done again, in order."""
        return (*(p.label for p in self._past), *(p.label for p in reversed(self._future)))

    @property
    def at(self) -> int:
        """How many of the ``labels`` are done now."""
        return len(self._past)

    def go_to(self, at: int, place: Place) -> None:
        """Back or forth to where so many of the ``labels`` are done, in one step. place: where one looks now."""
        if at < self.at:
            self._travel(self._past, self._future, place, self.at - at)
        else:
            self._travel(self._future, self._past, place, at - self.at)

    def around(self, edit: int) -> tuple[Project, Project]:
        """The project before and after one of the ``labels``."""
        values = [*(p.project for p in self._past), self.project, *(p.project for p in reversed(self._future))]
        return values[edit], values[edit + 1]

    def _go(self, project: Project, place: Place) -> None:
        before, self.project = self.project, project
        self.changed.emit(before, place)
        self.saved_changed.emit()

    @property
    def undo_label(self) -> str:
        """What undo would take back, or an empty text."""
        return self._past[-1].label if self._past else ""

    @property
    def redo_label(self) -> str:
        return self._future[-1].label if self._future else ""
