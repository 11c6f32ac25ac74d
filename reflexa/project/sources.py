"""The source files of a project: copied in with what belongs to them, and taken along when the project is copied."""

from __future__ import annotations

import itertools
import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import unquote

from reflexa.errors import WriteError
from reflexa.formats import Imported, ReadOptions, by_suffix, read
from reflexa.formats.files import read_bytes, write_bytes, write_failed
from reflexa.progress import Progress, quiet
from reflexa.project.store import SOURCES, Project, SourceFile, inside, save


def copy_to(project: Project, source: Path, target: Path, progress: Progress = quiet) -> None:
    """Save a project, which lies in ``source``, with its sources in another folder, which is not there yet or is empty.

    Whole or not at all; progress may raise to stop it. Raises WriteError.
    """
    try:
        if target.exists() and (not target.is_dir() or any(target.iterdir())):
            raise WriteError("is not empty", target, advice="Choose a new folder: nothing is overwritten.")
        target.parent.mkdir(parents=True, exist_ok=True)
        made = Path(tempfile.mkdtemp(prefix=f".{target.name}.", dir=target.parent))
    except OSError as e:
        raise write_failed(e, target) from None
    try:
        for i, s in enumerate(project.sources):
            progress(f"Copying {s.file}", i / len(project.sources))
            path = inside(source, s.file)
            if path.exists():
                data, place = read_bytes(path), (made / SOURCES / s.file).parent
                write_bytes(made / SOURCES / s.file, data)
                for uri, file in _beside(path, data).items():
                    write_bytes(place / uri, read_bytes(file), overwrite=True)  # one that two sources share
        save(project, made)
        made.chmod(0o755)  # a temporary folder is closed to others
        if target.exists():
            target.rmdir()
        made.rename(target)
    except OSError as e:
        raise write_failed(e, target) from None
    finally:
        shutil.rmtree(made, ignore_errors=True)


def options_of(entry: SourceFile) -> ReadOptions:
    """How a source is to be read."""
    return ReadOptions(entry.unit, entry.positions, entry.facing)


def read_source(folder: Path, entry: SourceFile) -> Imported:
    """Read a source as the project says. Raises ReadError."""
    return read(inside(folder, entry.file), options_of(entry))


def add_source(folder: Path, path: Path) -> tuple[str, list[Path]]:
    """Copy a file (and those beside it that belong to it) into ``sources/``, bytes unchanged; its name there, and the files
    that are new.

    A file with the same bytes is not copied again; where files of other content have the names already, it gets a number,
    or a folder of its own together with those that belong to it. Raises ReadError or WriteError.
    """
    target = folder / SOURCES
    data = read_bytes(path)
    if path.resolve().parent == target.resolve():
        return path.name, []
    beside = _beside(path, data)
    for name in _names(path, bool(beside)):
        place = (target / name).parent
        wanted = {target / name: path, **{place / uri: file for uri, file in beside.items()}}
        if all(not t.exists() or _same(t, f) for t, f in wanted.items()):
            new = {t: f for t, f in wanted.items() if not t.exists()}
            for t, f in new.items():
                write_bytes(t, read_bytes(f))
            return name, list(new)
    raise AssertionError  # names never end


def _names(path: Path, with_others: bool) -> Iterator[str]:
    """Names that a source may get, the plainest first."""
    yield path.name
    for n in itertools.count(2):
        yield f"{path.stem} {n}/{path.name}" if with_others else f"{path.stem} {n}{path.suffix}"


def _same(a: Path, b: Path) -> bool:
    return a.is_file() and a.stat().st_size == b.stat().st_size and read_bytes(a) == read_bytes(b)


def with_files_beside(path: Path) -> list[Path]:
    """A source and the files that belong to it, that one first. Raises ReadError."""
    return [path, *sorted(_beside(path, read_bytes(path)).values())]


def _beside(path: Path, data: bytes) -> dict[str, Path]:
    """The files that belong to one, by where they lie beside it: those inside its folder that are there. How a file names them
    is an address, in which signs may be written as numbers."""
    format = by_suffix(path)
    root = path.parent.resolve()
    out: dict[str, Path] = {}
    for uri in format.beside(path, data) if format is not None else ():
        for name in (uri, unquote(uri)):
            try:
                file = path.parent / name
                if ".." not in Path(name).parts and file.resolve().is_relative_to(root) and file.is_file():
                    out[name] = file
                    break
            except (OSError, ValueError):
                continue
    return out
