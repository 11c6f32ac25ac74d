"""Digests of what lies in a folder, without reading again what is as it was when it was last read."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import time
from pathlib import Path

from reflexa import places
from reflexa.formats.files import digest

# A file that was written less than so many nanoseconds ago may be written again without another time.
_SETTLED = 2_000_000_000
_Stamp = tuple[int, int, int, str]


def kept_in() -> Path:
    """The folder in which they are kept."""
    return places.cache_folder() / "digests"


class Digests:
    """By a file's name in the folder. What is known is kept in the user's cache, by size, time and number of each file."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        name = hashlib.sha256(os.fsencode(os.path.abspath(folder))).hexdigest()[:20]
        self._path = kept_in() / f"{name}.json"
        self._known: dict[str, _Stamp] = {}
        self._now: dict[str, _Stamp] = {}
        with contextlib.suppress(OSError, ValueError, TypeError, AttributeError):
            self._known = {n: tuple(s) for n, s in json.loads(self._path.read_bytes()).items() if len(s) == 4}

    def of(self, name: str) -> str:
        """The digest of a file that is there. Raises ReadError."""
        path = self._folder / name
        stat = path.stat()
        stamp = stat.st_size, stat.st_mtime_ns, stat.st_ino
        known = self._known.get(name)
        if known is not None and known[:3] == stamp:
            found = known[3]
        else:
            found = digest(path)
        if time.time_ns() - stat.st_mtime_ns > _SETTLED:
            self._now[name] = (*stamp, found)
        return found

    def keep(self) -> None:
        """Keep what is known for the next time; where that cannot be written, it is read again then."""
        if self._now != self._known:
            with contextlib.suppress(OSError):
                self._path.parent.mkdir(parents=True, exist_ok=True)
                part = self._path.with_name(f"{self._path.name}.{os.getpid()}.part")
                part.write_text(json.dumps(self._now))
                part.replace(self._path)
