"""A project is a folder: ``project.json``, ``takes/*.take.json``, ``rigs/*.rig.json``, and the untouched source files in
``sources/``.

Nothing outside the folder is read or written. The project in memory is a value; saving writes only what differs.
"""

from __future__ import annotations

import hashlib
import itertools
import os
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from reflexa.checks.judging import thresholds
from reflexa.errors import ReadError, WriteError
from reflexa.formats.documents import read_document
from reflexa.formats.rigfile import SUFFIX, RigDocument, read_rig
from reflexa.formats.text import pretty
from reflexa.names import Names, file_name
from reflexa.progress import Progress, quiet
from reflexa.project import transaction
from reflexa.project.take_text import TAKE_VERSION, misread, take_from_plain, take_plain, text_in, told_fields
from reflexa.take import Take
from reflexa.take.gate import with_own_ids
from reflexa.take.recipe import SUFFIX as RECIPE_SUFFIX
from reflexa.take.recipe import Recipe, read_kept, recipe_plain

T = TypeVar("T")
VERSION = 1
# Names of a source's fields in older versions → those of today.
_OLDER = {"shelf": "library_folder", "on_shelf": "library_path"}
PROJECT, TAKES, SOURCES, RIGS, RECIPES = "project.json", "takes", "sources", "rigs", "recipes"
# The folders of texts, each listed under its name in the project's own, with how its files end.
PARTS = {TAKES: ".take.json", RIGS: SUFFIX, RECIPES: RECIPE_SUFFIX}


@dataclass(frozen=True)
class SourceFile:
    """An imported file: its name in ``sources/``, what the reader was told, and what it is known by again when it is gone:
    digests of its bytes and of its skeleton (empty: nobody took them down). library_folder, library_path: the name of the
    library folder that it was taken from, and where in it."""

    file: str
    unit: float | None = None
    positions: str = "auto"
    facing: str = ""
    digest: str = ""
    skeleton: str = ""
    library_folder: str = ""
    library_path: str = ""


@dataclass(frozen=True)
class Lost:
    """A take or rig document, or the thresholds (an empty part), that could not be read: its file's name in ``part`` of the
    project, why, and its place among the others. It stays on disk and in the list, as it is."""

    part: str
    file: str
    reason: str
    place: int = 0


@dataclass(frozen=True)
class Project:
    """Sources, takes and recipes, in their order; rigs: what a person said of the rigs among the sources; limits: thresholds of
    findings that are other than they come; lost: files of it that could not be read. ``unknown`` keeps saved fields that this
    version does not know."""

    name: str
    sources: tuple[SourceFile, ...] = ()
    takes: tuple[Take, ...] = ()
    rigs: tuple[RigDocument, ...] = ()
    limits: Mapping[str, float] = field(default_factory=dict)
    unknown: Mapping[str, Any] = field(default_factory=dict)
    lost: tuple[Lost, ...] = ()
    recipes: tuple[Recipe, ...] = ()

    @cached_property
    def _by_name(self) -> dict[str, Take]:
        return {t.name: t for t in reversed(self.takes)}

    def take(self, name: str) -> Take | None:
        return self._by_name.get(name)

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


def load(folder: Path) -> Project:
    """Read a project folder, after finishing a save of it that was cut off. Raises ReadError where it is none; a take or rig
    that cannot be read is ``lost`` and costs itself alone; no such file is ever written over."""
    transaction.finish(folder)
    data = read_document(folder / PROJECT, "project", VERSION)
    known = {"reflexa", "version", "name", "sources", *PARTS}
    try:
        sources = _sources_of(data)
        listed = {part: msgspec.convert(data.get(part, []), list[str]) for part in PARTS}
        own = text_in(data, "name") if "name" in data else folder.name
    except (ValueError, RecursionError) as e:
        raise ReadError(f"is damaged: {misread(e)}", folder / PROJECT) from None
    for source in sources:
        inside(folder, source.file)
    lost: list[Lost] = []

    def each(part: str, reader: Callable[[Path], T]) -> tuple[T, ...]:
        out = []
        for i, name in enumerate(listed[part]):
            path = inside(folder, name, part)
            try:
                out.append(reader(path))
            except ReadError as e:
                lost.append(Lost(part, name, str(e), i))
        return tuple(out)

    takes = _with_ids(each(TAKES, lambda p: take_from_plain(read_document(p, "take", TAKE_VERSION), p)))
    rigs, kept = each(RIGS, read_rig), each(RECIPES, read_kept)
    unknown = {k: v for k, v in data.items() if k not in known}
    limits = folder / thresholds.NAME
    told: dict[str, float] = {}
    try:
        told = thresholds.read_thresholds(limits) if limits.exists() else {}
    except ReadError as e:
        lost.append(Lost("", thresholds.NAME, f"{e} Findings use the default thresholds."))
    return Project(own, sources, takes, rigs, told, unknown, tuple(lost), kept)


def _with_ids(takes: tuple[Take, ...]) -> tuple[Take, ...]:
    """Every take with an id of its own; one that has none gets one that its name gives, so that everybody gives it the same."""
    out: list[Take] = []
    given: set[str] = set()
    for take in takes:
        own = take.id
        for n in itertools.count():
            if own and own not in given:
                break
            own = hashlib.sha256(f"{take.name} {n}".encode(errors="replace")).hexdigest()[:8]
        given.add(own)
        out.append(take if own == take.id else replace(take, id=own))
    return tuple(out)


def inside(folder: Path, name: str, part: str = SOURCES) -> Path:
    """The path of a saved file name in a part of the project; raises ReadError where it leads outside it."""
    try:
        path = folder / part / name
        within = path.resolve().is_relative_to(folder.resolve() / part)
    except (OSError, ValueError, RuntimeError):
        raise ReadError(f"refers to {name[:60]!r}, which cannot be a file", folder / PROJECT) from None
    if not within or not name:
        raise ReadError(f"refers to {name!r}, which lies outside the project", folder / PROJECT)
    return path


def is_own(folder: Path, out: Path) -> bool:
    """True if a folder lies among the sources and texts of the project in ``folder``."""
    return any(out.resolve().is_relative_to((folder / part).resolve()) for part in (SOURCES, *PARTS))


def save(project: Project, folder: Path, known: Iterable[str] | None = None, tell: Progress = quiet) -> dict[str, str]:
    """Write the project's texts, those that differ from what is there, as one: after a kill at any moment the project is wholly
    as it was or as it is now. What whoever saves knows of it then, as ``state`` has it.

    known: files of it (relative names) that whoever saves has read or written; left out, those that the project on disk
    lists. Of them, those that it has no longer are removed; no other file is removed or written over, and what others have
    added to the list meanwhile stays in it. Raises WriteError, and what ``tell`` raises to stop it: nothing has happened
    then.
    """
    try:
        transaction.finish(folder)
    except ReadError as e:
        raise WriteError(e.reason, folder, e.place, e.advice) from None
    mine = set(state(folder) if known is None else known)
    kept = {f"{x.part}/{x.file}" for x in project.lost}
    added = _added_by_others(folder, mine)
    files = _texts(project, folder, mine - kept, added)
    changed = {n: d for n, d in files.items() if not _is(folder / n, d)}
    gone = [n for n in mine - kept - set(files) if n.partition("/")[0] in PARTS and (folder / n).is_file()]
    transaction.commit(folder, changed, sorted(gone), tell)
    theirs = {f"{part}/{name}" for part, name in added.files} | {f"{SOURCES}/{s.file}" for s in added.sources}
    return {name: digest for name, digest in state(folder).items() if name not in theirs}


def state(folder: Path) -> dict[str, str]:
    """The project's texts on disk by their relative names, with digests of their contents: those that it lists; and its sources
    by theirs, with digests of what the project says of them."""
    out = {}
    for name in (PROJECT, thresholds.NAME, *_listed(folder)):
        try:
            out[name] = hashlib.sha256((folder / name).read_bytes()).hexdigest()
        except OSError:
            continue
    for source in _sources_listed(folder):
        said = msgspec.json.encode(_source_file(source))
        out[f"{SOURCES}/{source.file}"] = hashlib.sha256(said).hexdigest()
    return out


@dataclass(frozen=True)
class _Added:
    """What the project on disk lists and whoever saves does not know: sources, and files of a part."""

    sources: tuple[SourceFile, ...] = ()
    files: tuple[tuple[str, str], ...] = ()


def _added_by_others(folder: Path, mine: set[str]) -> _Added:
    sources = tuple(s for s in _sources_listed(folder) if f"{SOURCES}/{s.file}" not in mine)
    files = tuple((part, name) for n in _listed(folder) if n not in mine for part, _, name in [n.partition("/")])
    return _Added(sources, files)


def _sources_of(data: Mapping[str, Any]) -> tuple[SourceFile, ...]:
    """The sources that a project's text lists, also as older versions wrote them. Raises msgspec.ValidationError."""
    listed = data.get("sources", [])
    if isinstance(listed, list):
        listed = [{_OLDER.get(k, k): v for k, v in s.items()} if isinstance(s, dict) else s for s in listed]
    return msgspec.convert(listed, tuple[SourceFile, ...])


def _sources_listed(folder: Path) -> tuple[SourceFile, ...]:
    try:
        data = read_document(folder / PROJECT, "project", VERSION)
        return _sources_of(data)
    except (ReadError, msgspec.ValidationError):
        return ()


def _listed(folder: Path) -> list[str]:
    """The files that the project on disk says are its own."""
    try:
        data = read_document(folder / PROJECT, "project", VERSION)
    except ReadError:
        return []
    out = []
    for part, suffix in PARTS.items():
        names = data.get(part, [])
        out += (
            [f"{part}/{n}" for n in names if isinstance(n, str) and n.endswith(suffix) and "/" not in n]
            if isinstance(names, list)
            else []
        )
    return out


def texts(project: Project) -> dict[str, bytes]:
    """Every text of the project by its relative name, as they would be saved in a folder of their own, but not laid out for
    eyes: they are written after every edit."""
    return _texts(project, Path(os.devnull), set(), encode=_compact)


def _pretty(plain: Any) -> bytes:
    return pretty(plain).encode(errors="replace")


def _compact(plain: Any) -> bytes:
    try:
        return msgspec.json.encode(plain)
    except UnicodeEncodeError:  # a file name with bytes that are no text
        return _pretty(plain)


def _texts(
    project: Project,
    folder: Path,
    mine: set[str],
    added: _Added = _Added(),
    encode: Callable[[Any], bytes] = _pretty,
) -> dict[str, bytes]:
    """Every text of the project by its relative name. Names follow the takes' own; where a file that is not ``mine`` has one
    already, a number is added. added: what is listed besides."""
    out: dict[str, bytes] = {}
    listed: dict[str, list[str]] = {part: [] for part in PARTS}
    names = {
        part: Names(
            taken=(p.name.removesuffix(s) for p in (folder / part).glob(f"*{s}") if f"{part}/{p.name}" not in mine),
            cased=False,
        )
        for part, s in PARTS.items()
    }

    def put(part: str, wanted: str, plain: Any) -> None:
        name = f"{names[part].give(file_name(wanted))}{PARTS[part]}"
        listed[part].append(name)
        out[f"{part}/{name}"] = encode(plain)

    for take in _with_ids(project.takes):
        try:
            put(TAKES, take.name, take_plain(replace(take, steps=with_own_ids(take.steps))))
        except (TypeError, ValueError) as e:
            raise WriteError(
                f"the take {take.name!r} cannot be saved: {e}", folder, advice="Undo its last edit."
            ) from None
    for d in project.rigs:
        put(RIGS, d.name, d.plain())
    for recipe in project.recipes:
        put(RECIPES, recipe.name, recipe_plain(recipe))
    for lost in sorted((x for x in project.lost if x.part), key=lambda x: x.place):
        listed[lost.part].insert(lost.place, lost.file)
    for part, name in added.files:
        listed[part] += [name] if name not in listed[part] else []
    own = {s.file for s in project.sources}
    sources = (*project.sources, *(s for s in added.sources if s.file not in own))
    head = {
        "reflexa": "project",
        "version": VERSION,
        "name": project.name,
        "sources": [_source_file(s) for s in sources],
    }
    more = {part: names for part, names in listed.items() if names and part != TAKES}
    out[PROJECT] = encode({**head, **more, TAKES: listed[TAKES], **project.unknown})
    damaged = any(x.file == thresholds.NAME and not x.part for x in project.lost)
    if (project.limits or (folder / thresholds.NAME).exists()) and not damaged:
        out[thresholds.NAME] = thresholds.text(project.limits).encode()
    return out


def _source_file(s: SourceFile) -> dict[str, Any]:
    return told_fields(s, SourceFile(""), ("file",))


def _is(path: Path, data: bytes) -> bool:
    try:
        return path.read_bytes() == data
    except OSError:
        return False
