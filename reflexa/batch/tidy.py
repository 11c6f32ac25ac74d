"""Clean copies of many files: transforms applied, metres, +Y up, facing +Z, each with its manifest."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from reflexa.batch.export import Origin, Proof, Target, write
from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import FORMATS, STANDARD, WriteOptions, read
from reflexa.names import Names, file_name
from reflexa.progress import Progress, quiet


@dataclass(frozen=True)
class Tidied:
    """Proofs of what was written, and in words what could not be."""

    written: tuple[Proof, ...]
    errors: tuple[str, ...]


def tidied(paths: Iterable[Path], folder: Path, progress: Progress = quiet) -> Tidied:
    """Write a clean copy of each file, all of its clips in it, in its own format where that is written. Nothing is written over;
    files of one name get numbers. progress may raise to stop: what was written stays."""
    given, names = list(paths), Names()
    written, errors = [], []
    for i, path in enumerate(given):
        progress(f"Writing {path.name}", i / len(given))
        try:
            document = read(path)
            if not document.clips:
                raise ReadError("holds a rig and no clip", path)
            kind = FORMATS[document.format]
            kind = kind if kind.encode is not None else FORMATS[STANDARD]
            name = names.give(f"{file_name(path.stem)}{kind.suffix}")
            target = Target(folder / name, kind.name, WriteOptions(frame="clean"), False, tuple(given))
            written.append(write(list(document.clips), document.rig, target, Origin(document, (), document)))
        except ReflexaError as e:
            errors.append(str(e))
    return Tidied(tuple(written), tuple(errors))
