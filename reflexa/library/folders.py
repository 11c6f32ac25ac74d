"""What lies in a folder: the files that may hold clips, with a stamp that tells when one is another."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from reflexa.errors import os_message
from reflexa.formats import by_suffix
from reflexa.progress import Progress, quiet

# (bytes, time of the last change in nanoseconds), of the file and of those beside it that may belong to it.
Stamp = tuple[int, int]


@dataclass
class Found:
    """What a walk through a folder came to. files: path → stamp; unreadable: folder → why; there: is the folder itself there, and
    something in it? A disk that was taken out leaves its folder empty, or none."""

    files: dict[Path, Stamp] = field(default_factory=dict)
    unreadable: dict[Path, str] = field(default_factory=dict)
    there: bool = False


def walk(folder: Path, progress: Progress = quiet) -> Found:
    """Every file below a folder whose name speaks of a format that is read. Links are followed, each folder once, so that
    circles of them end; hidden folders are passed over. Never raises but what progress raises."""
    out = Found()
    seen: set[tuple[int, int]] = set()
    waiting = [folder]
    while waiting:
        at = waiting.pop()
        progress(f"Looking through {at.name}", 0.0)
        try:
            info = os.stat(at)
            if (info.st_dev, info.st_ino) in seen:
                continue
            seen.add((info.st_dev, info.st_ino))
            with os.scandir(at) as entries:
                inside = list(entries)
            out.there = out.there or bool(inside)
            _sort_entries(out, list(_told(inside)), waiting)
        except OSError as e:
            out.unreadable[at] = os_message(e)
    return out


@dataclass(frozen=True)
class _Entry:
    path: Path
    folder: bool
    stamp: Stamp


def _told(entries: list[os.DirEntry[str]]) -> Iterator[_Entry]:
    for e in entries:
        if e.name.startswith("."):
            continue
        try:
            info = e.stat()
            yield _Entry(Path(e.path), e.is_dir(), (info.st_size, info.st_mtime_ns))
        except OSError:
            continue  # a link to nowhere, or gone by now


def _sort_entries(out: Found, entries: list[_Entry], waiting: list[Path]) -> None:
    waiting += sorted((e.path for e in entries if e.folder), reverse=True)
    files = [(e, by_suffix(e.path)) for e in entries if not e.folder]
    newest: dict[str, int] = {}
    for e, _ in files:
        newest[e.path.suffix] = max(newest.get(e.path.suffix, 0), e.stamp[1])
    for e, format in files:
        if format is not None:
            size, time = e.stamp
            # Files of other kinds may belong to it: it is another when they are.
            beside = max((t for suffix, t in newest.items() if suffix != e.path.suffix), default=0)
            out.files[e.path] = (size, max(time, beside) if format.with_others else time)


def stamp_of(path: Path) -> Stamp | None:
    """The stamp of one file alone; None where it is not there."""
    try:
        info = path.stat()
        return info.st_size, info.st_mtime_ns
    except OSError:
        return None
