"""The library folders as the window knows them: scanned, watched and searched beside the interface thread."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from reflexa.desktop.library.undo_stack import Change, UndoStack
from reflexa.errors import RecipeError, ReflexaError
from reflexa.formats import by_suffix
from reflexa.library.finder import Finder
from reflexa.library.folder_list import LibraryFolder, LibraryFolders, load_folders, save_folders
from reflexa.library.index import Damaged, Index
from reflexa.library.notes import Notes, edit_notes, read_notes, restored
from reflexa.library.query import Query
from reflexa.library.scan import Scanned, scan
from reflexa.motion import threads
from reflexa.rig import Rig
from reflexa.session.work import Job, Work

# Files are mostly written in pieces: what changes is looked at once that is over, milliseconds.
_SETTLES = 1200
# While a scan is under way, what it found is shown this often, seconds.
_SHOWS = 2.0
# A core stays with the window while it scans: its picture stands still for less than 100 ms then (144 to 164 ms where none does).
_WORKERS = max(1, threads.cores() - 1)


class LibraryWork(QObject):
    """``changed``: what lies in the library, or what is said of it, is other than it was; ``found``: ids, for the newest
    question; ``told``: how far a scan is (an empty text: it is over). problem: why something could not be done, until something
    else is done. past: the way back."""

    changed = Signal()
    found = Signal(list)
    told = Signal(str, float)
    _touched = Signal()

    def __init__(self, work: Work, parent: QObject) -> None:
        super().__init__(parent)
        self._work = work
        self.folders = LibraryFolders()
        self.notes: dict[str, Notes] = {}
        self.last = Scanned()
        self.scans = 0
        self.problem = ""
        self.past = UndoStack()
        self.fits: dict[str, str] = {}
        self.target: Rig | None = None
        self._finder: Finder | None = None
        self._asked: Finder | None = None
        self._scanning: Job[Scanned] | None = None
        self._again = False
        self._shown = 0.0
        self._stop = threading.Event()
        self._touched.connect(self.scan)

    @property
    def finder(self) -> Finder:
        """What is asked on the interface thread: rows and poses only. Raises WriteError where there can be no index."""
        if self._finder is None:
            self._finder = Finder(Index())
            self._finder.know(self.folders, self.notes)
        return self._finder

    @property
    def scanning(self) -> bool:
        return self._scanning is not None

    # Which library folders there are ------------------------------------------------------------------------------------

    def start(self) -> None:
        """Read the list of library folders, scan them and watch them."""
        try:
            self.folders = load_folders()
        except ReflexaError as e:
            self._fail(e)
            return
        self._renewed()

    def set_folders(self, label: str, edit: Callable[[LibraryFolders], LibraryFolders]) -> bool:
        """Change the list as it is on disk now; False where that failed, which is told."""
        try:
            before = load_folders()
            after = edit(before)
        except ReflexaError as e:
            self._fail(e)
            return False
        if not self._go_to(after):
            return False
        if after != before:
            self.past.did(Change(label, lambda: self._swap(after, before), lambda: self._swap(before, after)))
        return True

    def _swap(self, was: LibraryFolders, to: LibraryFolders) -> None:
        """From one list to another, unless somebody else has changed it since."""
        try:
            if load_folders() != was:
                raise RecipeError("another window has changed the list of library folders")
        except ReflexaError as e:
            self._fail(e)
            return
        self._go_to(to)

    def _go_to(self, folders: LibraryFolders) -> bool:
        self.problem = ""
        try:
            save_folders(folders)
        except ReflexaError as e:
            self._fail(e)
            return False
        others = folders.folders != self.folders.folders
        self.folders = folders
        if others:
            self._renewed()
        else:
            self._know()
            self.changed.emit()
        return True

    def _fail(self, error: Exception) -> None:
        self.problem = str(error)
        self.changed.emit()

    def _renewed(self) -> None:
        self._read_notes(self.folders.folders)
        self.changed.emit()
        self._watch()
        if self.folders.folders:
            self.scan()

    # Scanning and watching --------------------------------------------------------------------------------------

    def scan(self) -> None:
        """Bring the index up to date beside; once more where something changes meanwhile."""
        if self._scanning is not None:
            self._again = True
            return
        folders = self.folders.folders

        self.problem = ""

        def call(job: Job[Scanned]) -> Scanned:
            with contextlib.closing(Index()) as index:
                return scan(index, folders, job.tell, _WORKERS)

        def done(found: Scanned) -> None:
            self.last = found
            self.scans += bool(found.read or found.gone)

        def ended() -> None:
            self._scanning = None
            self._read_notes(self.folders.folders)
            self.told.emit("", 1.0)
            self.changed.emit()
            if self._again:
                self._again = False
                self.scan()

        job = Job(call, done)
        job.told, job.ended = self._on_told, ended
        job.failed = self._fail
        self._scanning = job
        self._work.start(job)

    def _on_told(self, text: str, part: float) -> None:
        self.told.emit(text, part)
        if time.monotonic() - self._shown > _SHOWS:  # what was read by now is shown, though there is more to come
            self._shown = time.monotonic()
            self.changed.emit()

    def stop_scan(self) -> None:
        """Give the scan up; what was read by then is kept."""
        if self._scanning is not None:
            self._again = False
            self._scanning.cancel()

    def _watch(self) -> None:
        self._stop.set()
        self._stop = stop = threading.Event()
        folders = [s.folder for s in self.folders.folders if s.folder.is_dir()]
        if folders:
            threading.Thread(target=self._watching, args=(folders, stop), daemon=True).start()

    def _watching(self, folders: list[Path], stop: threading.Event) -> None:
        from watchfiles import watch

        with contextlib.suppress(OSError, RuntimeError):  # a folder that goes away is noticed by the next scan
            for changes in watch(
                *folders, watch_filter=None, stop_event=stop, debounce=_SETTLES, step=_SETTLES // 2, rust_timeout=1000,
                raise_interrupt=False, ignore_permission_denied=True,
            ):  # fmt: skip
                if any(not Path(p).suffix or by_suffix(Path(p)) is not None for _, p in changes):
                    self._touched.emit()

    def close(self) -> None:
        """The window closes: nothing is watched any more."""
        self._stop.set()
        self.stop_scan()

    # Searching --------------------------------------------------------------------------------------------------

    def search(self, query: Query, near: tuple[Path, str] | None = None) -> None:
        """Ask; ``found`` gives the answer to the newest question. near: the clip that others are compared with."""
        folders, notes, target = self.folders, dict(self.notes), self.target

        def call(_: Job[tuple[dict[str, str], list[int]]]) -> tuple[dict[str, str], list[int]]:
            finder = self._asked = self._asked or Finder(Index())
            finder.know(folders, notes)
            try:
                fits = finder.fits(target) if target is not None else {}
                return fits, finder.search(query, fits, finder.id_of(*near) if near is not None else None)
            except Damaged:
                self._touched.emit()
                return {}, []

        def done(found: tuple[dict[str, str], list[int]]) -> None:
            self.fits = found[0]
            self.found.emit(found[1])

        def failed(error: Exception) -> None:
            self.problem = str(error)
            self.found.emit([])

        job = Job(call, done)
        job.failed = failed
        self._work.start(job, "library")

    def set_target(self, rig: Rig | None) -> bool:
        """The rig that clips are to fit; is it another one?"""
        other = (rig.digest if rig is not None else "") != (self.target.digest if self.target is not None else "")
        self.target = rig
        return other

    # What is said -----------------------------------------------------------------------------------------------

    def say(
        self, label: str, keys: Mapping[LibraryFolder, list[str]], edit: Callable[[Notes, list[str]], Notes]
    ) -> None:
        """Change what is said of clips, library folder by library folder."""
        before: dict[LibraryFolder, Notes] = {}

        def change(library_folder: LibraryFolder, notes: Notes) -> Notes:
            before[library_folder] = notes
            return edit(notes, keys[library_folder])

        after = self._write({s: partial(change, s) for s in keys})
        if after:
            self.past.did(Change(label, lambda: self._restore(after, before), lambda: self._restore(before, after)))

    def _restore(self, was: Mapping[LibraryFolder, Notes], to: Mapping[LibraryFolder, Notes]) -> None:
        self._write({s: partial(restored, was=was[s], to=to[s]) for s in was if s in to})

    def _write(self, edits: Mapping[LibraryFolder, Callable[[Notes], Notes]]) -> dict[LibraryFolder, Notes]:
        """Change the notes of library folders; those of the ones where it could be done."""
        out: dict[LibraryFolder, Notes] = {}
        self.problem = ""
        for library_folder, edit in edits.items():
            try:
                out[library_folder] = edit_notes(library_folder, edit)
            except ReflexaError as e:
                self.problem = str(e)
        self.notes |= {library_folder.name: notes for library_folder, notes in out.items()}
        self._know()
        self.changed.emit()
        return out

    def _read_notes(self, folders: Iterable[LibraryFolder]) -> None:
        self.notes = {}
        for library_folder in folders:
            try:
                self.notes[library_folder.name] = read_notes(library_folder)
            except ReflexaError as e:
                self.problem = str(e)
        self._know()

    def _know(self) -> None:
        if self._finder is not None:
            self._finder.know(self.folders, self.notes)

    def keep_search(self, name: str, query: Query | None) -> None:
        """Keep a question under a name; None: remove it."""

        def edit(s: LibraryFolders) -> LibraryFolders:
            left = {n: q for n, q in s.searches.items() if n != name}
            return replace(s, searches=left if query is None else {**left, name: query})

        self.set_folders(f"save the search {name}" if query is not None else f"remove the search {name}", edit)
