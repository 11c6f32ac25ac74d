"""Clean copies of many files: transforms applied, metres, +Y up, facing +Z, each with its manifest."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from reflexa.errors import ReadError, ReflexaError
from reflexa.formats import FORMATS, STANDARD, WriteOptions, by_suffix, read
from reflexa.output.manifest import Origin, Target
from reflexa.output.naming import numbered, written_as
from reflexa.output.write import Proof, write
from reflexa.progress import Progress, quiet


@dataclass(frozen=True)
class Tidied:
    """Proofs of what was written, and in words what could not be."""

    written: tuple[Proof, ...]
    errors: tuple[str, ...]


def tidied(paths: Iterable[Path], folder: Path, progress: Progress = quiet) -> Tidied:
    """Write a clean copy of each file, all of its clips in it, in its own format where that is written. Nothing is written over;
    files of one name get numbers. progress may raise to stop: what was written stays."""
    given = list(paths)
    kinds = [written_as(by_suffix(p) or FORMATS[STANDARD]) for p in given]
    written, errors = [], []
    for i, (path, name) in enumerate(zip(given, numbered((p.stem for p in given), kinds), strict=True)):
        progress(f"Writing {path.name}", i / len(given))
        try:
            document = read(path)
            if not document.clips:
                raise ReadError("contains a rig but no clip", path)
            target = Target(folder / name, kinds[i].name, WriteOptions(frame="clean"), False, tuple(given))
            written.append(write(list(document.clips), document.rig, target, Origin(document, (), document)))
        except ReflexaError as e:
            errors.append(str(e))
    return Tidied(tuple(written), tuple(errors))
