"""A project is a folder: ``project.json``, ``takes/*.take.json``, ``rigs/*.rig.json``, and the untouched source files in
``sources/``.

Nothing outside the folder is read or written. The project in memory is a value; saving writes only what differs.
"""

from __future__ import annotations

import itertools
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import msgspec

from reflexa.checks.judging import thresholds
from reflexa.errors import ReadError, ReflexaError, WriteError
from reflexa.formats import by_suffix
from reflexa.formats.documents import read_document
from reflexa.formats.files import read_bytes, write_bytes, write_failed
from reflexa.formats.rigfile import SUFFIX, RigDocument, read_rig
from reflexa.names import file_name, free_name
from reflexa.progress import Progress, quiet
from reflexa.project.text import pretty
from reflexa.stage.store import stage_from_plain, stage_plain
from reflexa.steps import steps_from_plain, to_plain
from reflexa.take import Accepted, Export, Range, Segment, Source, Take, View

VERSION = 1
# 2: steps have ids, and refer to each other by them.
TAKE_VERSION = 2
PROJECT, TAKES, SOURCES, RIGS = "project.json", "takes", "sources", "rigs"


@dataclass(frozen=True)
class SourceFile:
    """An imported file: its name in ``sources/`` and what the reader was told."""

    file: str
    unit: float | None = None
    positions: str = "auto"
    facing: str = ""


@dataclass(frozen=True)
class Project:
    """Sources and takes, in their order; rigs: what a person said of the rigs among the sources; limits: thresholds of findings
    that are other than they come. ``unknown`` keeps saved
    fields that this version does not know."""

    name: str
    sources: tuple[SourceFile, ...] = ()
    takes: tuple[Take, ...] = ()
    rigs: tuple[RigDocument, ...] = ()
    limits: Mapping[str, float] = field(default_factory=dict)
    unknown: Mapping[str, Any] = field(default_factory=dict)

    def take(self, name: str) -> Take | None:
        return next((t for t in self.takes if t.name == name), None)

    def with_take(self, old: str, take: Take) -> Project:
        """The project with the take called ``old`` replaced."""
        return replace(self, takes=tuple(take if t.name == old else t for t in self.takes))

    def rig_document(self, key: str) -> RigDocument | None:
        """What a person said of the rig with that key."""
        return next((d for d in self.rigs if d.key == key), None)

    def with_rig(self, document: RigDocument) -> Project:
        """The project with what is said of a rig added or replaced."""
        return replace(self, rigs=(*(d for d in self.rigs if d.key != document.key), document))

    def without_rig(self, key: str) -> Project:
        """The project with everything said of a rig taken back: it is as it was found."""
        return replace(self, rigs=tuple(d for d in self.rigs if d.key != key))


_ACCEPTED = ("kind", "joint", "first", "last")


def take_plain(take: Take) -> dict[str, Any]:
    """A take as plain data in its saved order."""
    export = {k: getattr(take.export, k) for k in Export.__dataclass_fields__}
    default = Export()
    return {
        "reflexa": "take",
        "version": TAKE_VERSION,
        "name": take.name,
        "source": _source_plain(take.source),
        "steps": [to_plain(s) for s in take.steps],
        "export": {k: v for k, v in export.items() if v != getattr(default, k)},
        **(
            {"ranges": [_told(r, Range("", 0, 0), ("name", "first", "last")) for r in take.ranges]}
            if take.ranges
            else {}
        ),
        **({"stage": stage_plain(take.stage)} if take.stage.props else {}),
        **({"accepted": [_told(a, Accepted("", "", 0, 0), _ACCEPTED) for a in take.accepted]} if take.accepted else {}),
        **(
            {"views": [_told(v, View(""), ("name", "target", "yaw", "pitch", "distance")) for v in take.views]}
            if take.views
            else {}
        ),
        **take.unknown,
    }


def _source_plain(source: Source) -> dict[str, Any]:
    out: dict[str, Any] = {"file": source.file, "clip": source.clip}
    if source.segments:
        out["segments"] = [_told(s, Segment("", ""), ("file", "clip")) for s in source.segments]
    return out


def _told(value: Any, default: Any, always: tuple[str, ...]) -> dict[str, Any]:
    """The fields of a value that are not as they are by default."""
    fields = {k: getattr(value, k) for k in value.__dataclass_fields__}
    return {k: v for k, v in fields.items() if k in always or v != getattr(default, k)}


def take_from_plain(data: Mapping[str, Any], path: Path) -> Take:
    """The opposite of ``take_plain``. Raises ReadError with file, place and reason."""
    try:
        source = data["source"]
        export = msgspec.convert(data.get("export", {}), Export)
        # Takes of version 1 have no ids: their steps are numbered, and what named a step by its name names its id.
        steps = steps_from_plain(data.get("steps", []))
        known = {"reflexa", "version", "name", "source", "steps", "export", "stage", "ranges", "accepted", "views"}
        unknown = {k: v for k, v in data.items() if k not in known}
        stage = stage_from_plain(data.get("stage", {}), path, "stage")
        segments = msgspec.convert(source.get("segments", []), tuple[Segment, ...])
        ranges = msgspec.convert(data.get("ranges", []), tuple[Range, ...])
        accepted = msgspec.convert(data.get("accepted", []), tuple[Accepted, ...])
        views = msgspec.convert(data.get("views", []), tuple[View, ...])
        made = Source(str(source["file"]), str(source["clip"]), segments)
        return Take(str(data["name"]), made, steps, export, unknown, stage, ranges, accepted, views)
    except ReflexaError as e:
        raise ReadError(e.reason, path, e.place, e.advice) from None
    except (KeyError, TypeError, msgspec.ValidationError) as e:
        raise ReadError(f"is damaged: {e}", path) from None


def load(folder: Path) -> Project:
    """Read a project folder. Raises ReadError; a file that cannot be read is never written over."""
    data = read_document(folder / PROJECT, "project", VERSION)
    known = {"reflexa", "version", "name", "sources", "takes", "rigs"}
    try:
        sources = tuple(msgspec.convert(s, SourceFile) for s in data.get("sources", []))
        names = msgspec.convert(data.get("takes", []), list[str])
        rig_names = msgspec.convert(data.get("rigs", []), list[str])
    except msgspec.ValidationError as e:
        raise ReadError(f"is damaged: {e}", folder / PROJECT) from None
    for source in sources:
        inside(folder, source.file)
    takes = tuple(
        take_from_plain(read_document(p, "take", TAKE_VERSION), p) for n in names for p in [inside(folder, n, TAKES)]
    )
    rigs = tuple(read_rig(inside(folder, n, RIGS)) for n in rig_names)
    unknown = {k: v for k, v in data.items() if k not in known}
    limits = folder / thresholds.NAME
    told = thresholds.read_thresholds(limits) if limits.exists() else {}
    return Project(str(data.get("name", folder.name)), sources, takes, rigs, told, unknown)


def inside(folder: Path, name: str, part: str = SOURCES) -> Path:
    """The path of a saved file name in a part of the project; raises ReadError where it leads outside it."""
    path = folder / part / name
    if not path.resolve().is_relative_to((folder / part).resolve()):
        raise ReadError(f"names {name!r}, which lies outside the project", folder / PROJECT)
    return path


def save(project: Project, folder: Path) -> None:
    """Write the project's texts: those that differ from what is there, each whole or not at all; takes that are gone last.

    Raises WriteError.
    """
    takes = {f"{file_name(t.name)}.take.json": t for t in project.takes}
    if len({n.lower() for n in takes}) != len(project.takes):
        raise WriteError("two takes have names that make the same file name", folder / TAKES, advice="Rename one.")
    for name, take in takes.items():
        _write(folder / TAKES / name, pretty(take_plain(take)))
    sources = []
    for s in project.sources:
        entry: dict[str, Any] = {"file": s.file}
        if s.unit is not None:
            entry["unit"] = s.unit
        if s.positions != "auto":
            entry["positions"] = s.positions
        if s.facing:
            entry["facing"] = s.facing
        sources.append(entry)
    rigs: dict[str, RigDocument] = {}
    for d in project.rigs:
        name = f"{free_name(file_name(d.name), (r.removesuffix(SUFFIX) for r in rigs))}{SUFFIX}"
        rigs[name] = d
        _write(folder / RIGS / name, pretty(d.plain()))
    head: dict[str, Any] = {"reflexa": "project", "version": VERSION, "name": project.name, "sources": sources}
    if rigs:
        head["rigs"] = list(rigs)
    _write(folder / PROJECT, pretty({**head, "takes": list(takes), **project.unknown}))
    if project.limits or (folder / thresholds.NAME).exists():
        _write(folder / thresholds.NAME, thresholds.text(project.limits))
    for part, kept in ((TAKES, set(takes)), (RIGS, set(rigs))):
        for old in (folder / part).glob(f"*{SUFFIX if part == RIGS else '.take.json'}"):
            if old.name not in kept:
                old.unlink(missing_ok=True)


def copy_to(project: Project, source: Path, target: Path, progress: Progress = quiet) -> None:
    """Save a project, which lies in ``source``, with its sources in another folder, which is not there yet or is empty.

    Whole or not at all; progress may raise to stop it. Raises WriteError.
    """
    try:
        if target.exists() and (not target.is_dir() or any(target.iterdir())):
            raise WriteError("is not empty", target, advice="Choose a folder of its own: nothing is written over.")
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


def _write(path: Path, text: str) -> None:
    data = text.encode()
    try:
        if path.exists() and path.read_bytes() == data:
            return
    except OSError:
        pass
    write_bytes(path, data, overwrite=True)


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


def _beside(path: Path, data: bytes) -> dict[str, Path]:
    """The files that belong to one, by how it names them: those that lie in its folder."""
    format = by_suffix(path)
    found = {uri: path.parent / uri for uri in (format.beside(path, data) if format is not None else ())}
    root = path.parent.resolve()
    return {uri: file for uri, file in found.items() if file.resolve().is_relative_to(root) and file.is_file()}
