"""Sources of a project that are gone: looked for, by their bytes and by their names, where they may lie now."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from reflexa.errors import ReadError
from reflexa.formats.files import digest
from reflexa.progress import Progress, quiet
from reflexa.project.store import Project, SourceFile, inside

# Files of one suffix that are looked at, and folders on the way to them: a home is not read through for an hour.
_MOST_FILES, _MOST_FOLDERS = 5_000, 20_000


@dataclass(frozen=True)
class Elsewhere:
    """Where a source lies now. same: a file with the very same bytes, whatever it is called. named: the newest other one of its
    name, with other bytes. None: there is none."""

    same: Path | None = None
    named: Path | None = None


def gone(project: Project, folder: Path) -> tuple[SourceFile, ...]:
    """The sources of a project that are not in its folder."""
    return tuple(s for s in project.sources if not inside(folder, s.file).is_file())


def look_for(
    wanted: Sequence[SourceFile], folders: Iterable[Path], tell: Progress = quiet
) -> dict[str, Elsewhere]:  # fmt: skip
    """Look for sources in folders and all below them, by name first, then by their bytes; what cannot be read is passed over.
    tell may raise to stop it."""
    suffixes = {Path(s.file).suffix.lower() for s in wanted}
    files = list(_files(folders, suffixes, tell))
    names = {Path(s.file).name.lower() for s in wanted}
    files.sort(key=lambda f: f.name.lower() not in names)
    same, named = dict[str, Path](), dict[str, tuple[float, Path]]()
    for i, path in enumerate(files):
        if all(s.file in same for s in wanted if s.digest):
            break
        tell(f"Looking at {path.name}", i / len(files))
        try:
            bytes_, changed = digest(path), path.stat().st_mtime
        except (OSError, ReadError):
            continue
        for s in wanted:
            if s.digest and s.digest == bytes_:
                same.setdefault(s.file, path)
            elif Path(s.file).name.lower() == path.name.lower():
                named[s.file] = max(named.get(s.file, (changed, path)), (changed, path))
    return {s.file: Elsewhere(same.get(s.file), named[s.file][1] if s.file in named else None) for s in wanted}


def _files(folders: Iterable[Path], suffixes: set[str], tell: Progress) -> Iterator[Path]:
    """The files with a suffix in folders and below them, each once; hidden folders are left out."""
    seen, count = set[Path](), 0
    for top in folders:
        for place, below, names in os.walk(top):
            here = Path(place).resolve()
            below[:] = [] if here in seen or len(seen) >= _MOST_FOLDERS else [b for b in below if not b.startswith(".")]
            if here in seen:
                continue
            seen.add(here)
            tell(f"Looking in {here.name}", 0.0)
            for name in sorted(names):
                if Path(name).suffix.lower() in suffixes and count < _MOST_FILES:
                    count += 1
                    yield Path(place) / name
