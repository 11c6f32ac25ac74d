"""Building a project: every take that is out of date is exported anew, and nothing else; each with the reason why."""

from __future__ import annotations

import difflib
import time
from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import msgspec

from reflexa.batch.digests import Digests
from reflexa.batch.inputs import Given, Inputs, changed, in_order
from reflexa.batch.pool import Share
from reflexa.errors import ReadError, RecipeError, ReflexaError, WriteError
from reflexa.formats import FORMATS, Imported
from reflexa.formats.documents import read_document
from reflexa.formats.files import digest, write_bytes
from reflexa.formats.text import pretty
from reflexa.output.manifest import MANIFEST, manifest_path
from reflexa.output.naming import file_names
from reflexa.output.takes import Into, export_take
from reflexa.output.write import Proof
from reflexa.project import store
from reflexa.project.opened import Opened
from reflexa.project.sources import read_source, with_files_beside
from reflexa.project.store import Project
from reflexa.take import Take

VERSION = 1
# What was built, beside what was built.
STATE = "build.json"
# Why a take is built for the first time.
NEVER_BUILT = "it has not been built yet"


class Built(msgspec.Struct, frozen=True):
    """What is known of a take that was built: its name, what it came of, its files with digests, the keys of its rigs, and the
    findings left in it, in words."""

    name: str
    inputs: dict[str, str]
    outputs: dict[str, str]
    rigs: tuple[str, ...] = ()
    findings: tuple[str, ...] = ()


@dataclass(frozen=True)
class Planned:
    """A take, the names of its files, and why it is to be built; without a reason it is up to date. held: what stands against
    it: then it is left alone."""

    take: Take
    files: tuple[str, ...]
    why: tuple[str, ...] = ()
    held: ReflexaError | None = None


@dataclass(frozen=True)
class Made:
    """What became of a take: what is known of it now, or the error; how long it took, seconds."""

    name: str
    built: Built | None = None
    error: ReflexaError | None = None
    seconds: float = 0.0


@dataclass(frozen=True)
class Plan:
    """gone: files that were built once and are none of any take's now; they are left where they are."""

    folder: Path
    out: Path
    project: Project
    takes: tuple[Planned, ...]
    known: dict[str, Built]
    gone: tuple[str, ...] = ()
    begun: frozenset[str] = frozenset()

    @property
    def due(self) -> list[Planned]:
        """What is to be built, in order."""
        return [p for p in self.takes if p.why and p.held is None]


def default_out(folder: Path) -> Path:
    """Where a project's clips go when nobody says where."""
    return folder / "build"


def plan(folder: Path, out: Path, force: bool = False, only: Collection[str] = ()) -> Plan:
    """What is to be built, and why. force: also over files that others have changed. only: names of takes, of folders of takes,
    and of takes with variations (none said: all). Raises ReadError where it is no project, and RecipeError where two takes have
    files of one name, draw on each other, or would go among the sources, and for an unknown name."""
    project = store.load(folder)
    if store.is_own(folder, out):
        raise RecipeError(f"{out} is among the files of the project itself", advice="Build into a separate folder.")
    known, begun = read_state(out)
    _refuse_clashes(project.takes)
    given, planned = Given(folder, project), []
    before = Before(out, known, begun, force, Digests(out))
    chosen = _chosen(project.takes, only)
    for take in in_order(project, project.takes):
        if take.name in chosen:
            planned.append(_planned(take, given, before))
    before.digests.keep()
    wanted = {f for t in project.takes for f in _file_names(t)}
    gone = tuple(f for b in known.values() for f in b.outputs if not f.endswith(MANIFEST) and f not in wanted)
    return Plan(folder, out, project, tuple(planned), known, gone, begun)


def _chosen(takes: Sequence[Take], only: Collection[str]) -> set[str]:
    """The names of the takes that are meant. A take brings its variations along."""
    if not only:
        return {t.name for t in takes}
    parents = {t.id: t.name for t in takes if t.id}
    called = {
        t.name: {t.name, t.folder, *([parents.get(t.varies.of, "")] if t.varies is not None else [])} for t in takes
    }
    known = set().union(*called.values()) - {""}
    for name in only:
        if name not in known:
            near = ", ".join(difflib.get_close_matches(name, known, 3)) or ", ".join(sorted(known)[:6])
            raise RecipeError(f"there is no take, folder or set of variations {name!r}", advice=f"Known: {near}.")
    return {name for name, names in called.items() if names & set(only)}


def _key(take: Take) -> str:
    return take.id or take.name


@dataclass(frozen=True)
class Before:
    """What is known of a folder: what was built in it, and files that a build was at when it was cut off, which are ours. force:
    whatever is there is written over."""

    out: Path
    known: dict[str, Built]
    begun: frozenset[str]
    force: bool
    digests: Digests


def _planned(take: Take, given: Given, at: Before) -> Planned:
    out, force = at.out, at.force
    files, before = tuple(_file_names(take)), at.known.get(_key(take))
    try:
        now = given.inputs(take, before.rigs if before is not None else ())
    except ReadError as e:
        return Planned(take, files, held=e)
    if before is None:
        there = [f for f in files if f not in at.begun and (out / f).exists()]
        foreign = WriteError(f"{', '.join(there)} exists already and was not built here") if there else None
        return Planned(take, files, (NEVER_BUILT,), None if force else foreign)
    why, edited = changed(before.inputs, now), list[str]()
    for file, known_digest in before.outputs.items():
        if not (out / file).exists():
            why.append(f"{file} is missing")
        elif at.digests.of(file) != known_digest:
            cut_off = file.removesuffix(MANIFEST) in at.begun
            (why if cut_off else edited).append(
                f"{file} was being built when a build was interrupted" if cut_off else file
            )
    if edited and not force:
        return Planned(take, files, tuple(why), WriteError(f"{', '.join(edited)} was changed by someone else"))
    return Planned(take, files, (*why, *(f"{f} was changed by someone else" for f in edited)))


def _file_names(take: Take) -> list[str]:
    """The files that a take's clips go into, by name."""
    export, name = take.export, take.export.name or take.name
    parts = [r.name for r in take.ranges] if export.ranges != "whole" else []
    return file_names(name, parts or [name], FORMATS[export.format], bool(parts) and export.ranges == "apart")


def _refuse_clashes(takes: Iterable[Take]) -> None:
    by: dict[str, list[str]] = {}
    for take in takes:
        for name in _file_names(take):
            by.setdefault(name.lower(), []).append(take.name)
    twice = [f"{file} of {' and '.join(names)}" for file, names in by.items() if len(names) > 1]
    if twice:
        raise RecipeError(
            f"two takes would write files of the same name: {'; '.join(twice[:4])}",
            advice="Give one of them another name in its export settings.",
        )


# What was built -------------------------------------------------------------------------------------------------


def read_state(out: Path) -> tuple[dict[str, Built], frozenset[str]]:
    """What is known to have been built in a folder, and the files that a build was at when it was cut off. Raises ReadError where
    that is damaged."""
    path = out / STATE
    if not path.exists():
        return {}, frozenset()
    plain = read_document(path, "build", VERSION)
    try:
        known = msgspec.convert(plain.get("takes", {}), dict[str, Built])
        return known, frozenset(msgspec.convert(plain.get("begun", []), list[str]))
    except msgspec.ValidationError as e:
        raise ReadError(f"is damaged: {e}", path, advice="Remove it together with the files that were built.") from None


def write_state(out: Path, known: dict[str, Built], begun: Iterable[str] = ()) -> None:
    """Keep what is known, and which files are about to be written. Raises WriteError."""
    takes = {key: msgspec.to_builtins(b) for key, b in sorted(known.items())}
    more = {"begun": sorted(begun)} if begun else {}
    write_bytes(
        out / STATE, pretty({"reflexa": "build", "version": VERSION, **more, "takes": takes}).encode(), overwrite=True
    )


# Building -------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Task:
    """One take to be built, for whichever process does it. texts: those of the project; sources: files that it needs."""

    folder: Path
    out: Path
    name: str
    stamp: str = ""
    texts: tuple[Path, ...] = ()
    sources: tuple[Path, ...] = ()
    overwrite = True  # whatever is there was built, or may be written over

    def reads(self) -> list[tuple[Path, ...]]:
        """The files that it reads, in bundles that belong together."""
        return [self.texts, *(tuple(with_files_beside(p)) for p in self.sources)]

    def kept(self) -> tuple[Path, ...]:
        """Files that are never written over."""
        return (*self.texts, *(f for p in self.sources for f in with_files_beside(p)))

    def failed(self, error: ReflexaError) -> Made:
        """What came of it, where nothing did."""
        return Made(self.name, error=error)


# A process reads a project once, and as many sources as it has room for.
_DOCUMENTS = 12


@lru_cache(maxsize=2)
def _given(folder: Path, _stamp: str) -> Given:
    return Given(folder, store.load(folder))


@lru_cache(maxsize=_DOCUMENTS)
def _document(folder: Path, entry: store.SourceFile, _stamp: str) -> Imported:
    return read_source(folder, entry)


def make(task: Task) -> Made:
    """Build one take; errors meant for a person are returned, not raised."""
    start = time.perf_counter()
    try:
        built = _make(task)
    except ReflexaError as e:
        return Made(task.name, error=e, seconds=time.perf_counter() - start)
    return Made(task.name, built, seconds=time.perf_counter() - start)


def _make(task: Task) -> Built:
    given = _given(task.folder, task.stamp)
    project = given.project
    take = project.take(task.name)
    if take is None:
        raise ReadError(f"no longer has a take {task.name!r}", task.folder)
    entries = {s.file: s for s in project.sources}
    documents = {f: _document(task.folder, entries[f], task.stamp) for f in given.files(take)}
    opened = Opened(task.folder, project, documents)
    line = opened.evaluated(take)
    source = documents[take.source.file]
    proof = export_take(line, take.export, source, documents.values(), Into(task.out, True, project.limits))
    rigs = tuple(sorted({d.rig.key for d in documents.values()}))
    return Built(take.name, given.inputs(take, rigs), _outputs(task.out, proof), rigs, proof.findings)


def _outputs(out: Path, proof: Proof) -> Inputs:
    files = [p for path in (proof.path, *proof.others) for p in (path, manifest_path(path))]
    return {p.relative_to(out).as_posix(): digest(p) for p in files}


def build(todo: Plan, share: Share) -> Iterator[tuple[Planned, Made]]:
    """Build what is due, as it comes. What is done is kept at once, so that a build that is cut off goes on where it was. Raises
    WriteError where the folder cannot be written, and WorkerLost."""
    known, due = dict(todo.known), {p.take.name: p for p in todo.due}
    stamp = str(time.time_ns())
    given = Given(todo.folder, todo.project)
    texts = tuple(todo.folder / name for name in store.state(todo.folder)) if due else ()
    tasks = [
        Task(
            todo.folder,
            todo.out,
            name,
            stamp,
            texts,
            tuple(todo.folder / store.SOURCES / f for f in given.files(p.take)),
        )
        for name, p in due.items()
    ]
    begun = {f for p in due.values() for f in p.files}
    if due:
        write_state(todo.out, known, begun)
    last, whole = time.monotonic(), False
    try:
        for task, made in share(make, tasks):
            planned = due[task.name]
            if made.built is not None:
                known[_key(planned.take)] = made.built
                if time.monotonic() - last > 0.5:
                    write_state(todo.out, known, begun)
                    last = time.monotonic()
            yield planned, made
        whole = True
    finally:
        if due:  # of what was cut off, files may be there that nobody told of
            write_state(todo.out, known, () if whole else begun)
