"""Another file for a source of a project, and a source taken out of it: what follows, and what is not the same."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from msgspec.structs import replace as with_fields

from reflexa.errors import ReadError
from reflexa.formats import Imported, read
from reflexa.motion.skeleton import Skeleton
from reflexa.project.sources import add_source, options_of, read_source
from reflexa.project.store import Project, SourceFile
from reflexa.project.uses import clips_in, clips_of, users
from reflexa.steps import Step
from reflexa.steps.references import renamed
from reflexa.take import Source, Take
from reflexa.words import counted


def skeleton_digest(skeleton: Skeleton) -> str:
    """What a skeleton is known by again, however it stands: its joints' names and who hangs on whom."""
    said = "\n".join(f"{parent} {name}" for name, parent in zip(skeleton.names, skeleton.parents, strict=True))
    return hashlib.sha256(said.encode(errors="replace")).hexdigest()[:16]


def known_by(entry: SourceFile, document: Imported) -> SourceFile:
    """What a project says of a source, with what the file that was read of it is known by again."""
    return replace(entry, digest=document.sha256, skeleton=skeleton_digest(document.rig.skeleton))


def said_to_differ(project: Project, entry: SourceFile, path: Path) -> str:
    """In which ways another file is not the source that was known, in words; why it cannot be read, where it cannot."""
    try:
        document = read(path, options_of(entry))
    except ReadError as e:
        return str(e)
    found = differences(project, entry, known_by(entry, document), document)
    return " ".join(found) or "Its skeleton and the clips that are used are the same."


def taken_in(folder: Path, entry: SourceFile, path: Path) -> tuple[SourceFile, Imported]:
    """A file copied into the project's folder to stand for a source: what the project says of it then, and what was read.
    Raises ReadError or WriteError."""
    new = replace(entry, file=add_source(folder, path)[0])
    document = read_source(folder, new)
    return known_by(new, document), document


def differences(
    project: Project, old: SourceFile, new: SourceFile, document: Imported, before: Imported | None = None
) -> list[str]:
    """In which ways a file is not the one that the project knew as ``old``, in sentences; none where it is the same, byte for
    byte. before: what was read of that one, where it is still known."""
    if old.digest and old.digest == new.digest:
        return []
    out = []
    if before is not None:
        was, now = before.rig.skeleton.names, document.rig.skeleton.names
        for said, names in (("lacks", [n for n in was if n not in now]), ("adds", [n for n in now if n not in was])):
            if names:
                out.append(f"Its skeleton {said} {_some(names)}.")
    if not out and old.skeleton and old.skeleton != new.skeleton:
        out.append(f"Its skeleton is another one: {counted(len(document.rig.skeleton.names), 'joint')}.")
    there = set(document.or_rest.names)
    gone = [clip for clip, now in _clips(project, old.file, document).items() if now not in there]
    if gone:
        out.append(f"It has no clip {_some(gone)}, which takes use.")
    return out


def _clips(project: Project, file: str, document: Imported) -> dict[str, str]:
    """The clips of a source that are used, and what each is called in another file: as it was; or as the only one there, where
    one alone is used, for some kinds of files call their clip as the file is called."""
    named = [c for t in project.takes for c in clips_of(t, file)]
    named += [c.removeprefix(f"{file}/") for t in project.takes for s in t.steps for c in clips_in(s, file)]
    used, there = sorted(set(named)), document.or_rest.names
    return {used[0]: there[0]} if len(used) == len(there) == 1 else {c: c for c in used}


def relinked(project: Project, old: str, entry: SourceFile, document: Imported) -> Project:
    """The project with another file in the place of a source, and what was read of it where it is now; takes, segments and
    steps follow."""
    clips = _clips(project, old, document)
    sources = tuple(entry if s.file == old else s for s in project.sources if s.file in (old,) or s.file != entry.file)
    takes = tuple(_following(t, (old, entry.file), clips) for t in project.takes)
    return replace(project, sources=sources, takes=takes)


def without(project: Project, file: str) -> Project:
    """The project without a source and the takes that begin with it. The file itself stays where it is."""
    begin = {t.name for t in users(project, file)[0]}
    sources = tuple(s for s in project.sources if s.file != file)
    return replace(project, sources=sources, takes=tuple(t for t in project.takes if t.name not in begin))


def _following(take: Take, files: tuple[str, str], clips: Mapping[str, str]) -> Take:
    (old, new), source = files, take.source
    segments = tuple(replace(s, file=new, clip=clips[s.clip]) if s.file == old else s for s in source.segments)
    if source.file == old:  # of several in a row the name is the take's own
        source = Source(new, source.clip if segments else clips[source.clip], segments)
    else:
        source = replace(source, segments=segments)
    steps = tuple(_step_following(s, files, clips) for s in take.steps)
    return replace(take, source=source, steps=steps)


def _step_following(step: Step, files: tuple[str, str], clips: Mapping[str, str]) -> Step:
    old, new = files
    settings = renamed(step.settings, "rig", old, new)
    for value in clips_in(step, old):
        settings = renamed(settings, "clip", value, f"{new}/{clips[value.removeprefix(f'{old}/')]}")
    return step if settings is step.settings else with_fields(step, settings=settings)


def _some(names: Sequence[str]) -> str:
    more = f" and {len(names) - 5} more" if len(names) > 5 else ""
    return ", ".join(names[:5]) + more
