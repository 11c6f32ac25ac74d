"""Clips from a library folder made takes of the open project: imported once, renamed on the way where that is all they need."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from reflexa.desktop.kinds import VIEWS
from reflexa.formats import Imported
from reflexa.library.fits import RENAME, RETARGET, fit
from reflexa.library.plain_rig import plain_rig
from reflexa.project.store import SourceFile
from reflexa.session import takes
from reflexa.session.importing import Imports
from reflexa.session.session import Session
from reflexa.steps import Step, make
from reflexa.take import Source


@dataclass(frozen=True)
class Made:
    """Takes that were made: their names; how many were renamed on the way, and those whose clip still needs a retarget."""

    names: tuple[str, ...]
    renamed: int
    other_rigs: tuple[str, ...]


def sources_in(found: Imports, picks: list[tuple[Path, str]]) -> list[Source]:
    """The clips that were picked, as the project knows them now. A clip that has its file's name goes by the new one."""
    out = []
    for path, clip in picks:
        name = found.names.get(path, "")
        document = found.documents.get(name)
        if document is not None:
            out.append(Source(name, _called(document, clip)))
    return out


def _called(document: Imported, clip: str) -> str:
    there = document.or_rest.names
    return there[0] if len(there) == 1 else clip


def make_fitting(session: Session, sources: list[Source], merge: str = "", retarget: bool = False) -> Made:
    """A take of each clip. What fits the open rig under other joint names is renamed; what needs a retarget is retargeted where
    that is wanted."""
    target = session.take.source.file if session.take is not None else ""
    rig = session.source_rig
    pairs: list[tuple[Source, Step | None]] = []
    renamed, others = 0, []
    rigs, known = session.rigs, dict[str, str]()
    for source in sources:
        own, step, how = rigs.get(source.file), None, ""
        if own is not None and rig is not None and source.file != target:
            build = plain_rig(own).id  # many files have rigs of one build
            how = known[build] = known.get(build) or fit(own, rig)
        if how == RENAME or (how == RETARGET and retarget):
            renamed += how == RENAME
            step = make(next(v.kind for v in VIEWS.values() if v.brings == how), f"As {target}", rig=target)
        elif how == RETARGET:
            others.append(source.clip)
        pairs.append((source, step))
    return Made(tuple(takes.make_each(session, pairs, merge=merge)), renamed, tuple(others))


def newer(session: Session, digests: dict[str, str]) -> list[SourceFile]:
    """Sources of the project whose file in the library is another by now. digests: of those files, by the source's name."""
    return [s for s in session.project.sources if s.digest and digests.get(s.file, s.digest) != s.digest]
