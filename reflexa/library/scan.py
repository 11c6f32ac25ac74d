"""Scanning: what lies in the library into the index, only what is new or another since, by several processes."""

from __future__ import annotations

import contextlib
import fcntl
import os
import time
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

from reflexa.errors import ReflexaError, WriteError
from reflexa.library.facts import FileFacts
from reflexa.library.folder_list import LibraryFolder
from reflexa.library.folders import Stamp, stamp_of, walk
from reflexa.library.index import Index
from reflexa.library.readers import read_all
from reflexa.motion import threads
from reflexa.progress import Progress, quiet

# What was read goes into the index this often, seconds: what is cancelled loses no more.
_EVERY = 0.5


@dataclass
class Scanned:
    """read: how many files; bad: how many of all of them cannot be; gone: that are no longer there; files: how many there are;
    unreadable: folder → why; away: library folders that are not there now (a disk that was taken out): what is
    known of them stays."""

    read: int = 0
    bad: int = 0
    gone: int = 0
    files: int = 0
    unreadable: dict[Path, str] = field(default_factory=dict)
    away: list[str] = field(default_factory=list)


def scan(index: Index, folders: Iterable[LibraryFolder], progress: Progress = quiet, workers: int = 0) -> Scanned:
    """Bring the index up to what lies in the library. progress may raise to stop: what was read by then is kept. Where another
    window scans, waits for it first. workers: processes; 0: one a core. Raises WriteError."""
    with _alone(index.path, progress):
        index.check()
        out, there, kept = Scanned(), dict[Path, Stamp](), list[Path]()
        for library_folder in folders:
            found = walk(library_folder.folder, progress)
            out.unreadable |= found.unreadable
            if not found.there:
                out.away.append(library_folder.name)
                kept.append(library_folder.folder)
            there |= found.files
            kept += found.unreadable  # nobody can look into those now: what is known of them stays
        known = index.stamps()
        gone = [p for p in known if p not in there and not any(p.is_relative_to(k) for k in kept)]
        wanted = [p for p, stamp in there.items() if known.get(p) != stamp]
        out.gone, out.files = len(gone), len(there)
        if gone:
            index.put((), gone)
        _read(index, {p: there[p] for p in wanted}, workers or threads.cores(), progress)
        out.read = len(wanted)
        bad = [Path(os.fsdecode(p)) for (p,) in index.rows("select path from files where error <> ''")]
        out.bad = sum(p in there for p in bad)
        return out


def _read(index: Index, wanted: dict[Path, Stamp], workers: int, progress: Progress) -> None:
    """Read files into the index, each with its stamp."""
    plain = {p: stamp_of(p) for p in wanted}
    ready: list[tuple[Path, Stamp, FileFacts | ReflexaError]] = []
    last = time.monotonic()
    reading = read_all(wanted, workers)
    try:
        for done, (path, facts) in enumerate(reading, 1):
            # One that was written to meanwhile is read again the next time.
            same = stamp_of(path) == plain[path]
            ready.append((path, wanted[path] if same else (-1, -1), facts))
            if time.monotonic() - last > _EVERY:
                index.put(ready)
                ready, last = [], time.monotonic()
            progress(f"Reading {path.name}", done / len(wanted))
    finally:
        reading.close()
        if ready:
            index.put(ready)


@contextlib.contextmanager
def _alone(path: Path, progress: Progress) -> Iterator[None]:
    """One scan of an index at a time, over all processes; a killed one lets go by itself."""
    try:
        handle = os.open(f"{path}.lock", os.O_RDWR | os.O_CREAT, 0o644)
    except OSError as e:
        raise WriteError(f"the index of the library cannot be used: {e}", path) from None
    try:
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except OSError:
                progress("Another window is scanning", 0.0)
                time.sleep(0.1)
        yield
    finally:
        os.close(handle)
