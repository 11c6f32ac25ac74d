"""Everything that a take's files come of, each with a digest, so that what is another can be named."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import Any

from reflexa.batch.version import computation
from reflexa.errors import ReadError, RecipeError
from reflexa.formats.files import digest
from reflexa.project.sources import with_files_beside
from reflexa.project.store import Project, inside
from reflexa.project.take_text import take_plain
from reflexa.project.uses import files_for, values
from reflexa.take import Take
from reflexa.take.clips import TAKE

Inputs = dict[str, str]


def digest_of(value: Any) -> str:
    """A digest of plain data, whatever the order of its names."""
    return hashlib.sha256(json.dumps(value, sort_keys=True, default=str).encode()).hexdigest()[:16]


def drawn_on(project: Project, take: Take) -> list[Take]:
    """The other takes that a take's steps draw on, by themselves."""
    names = {v.removeprefix(TAKE) for s in take.steps for v in values(s, "clip") if v.startswith(TAKE)}
    return [t for t in project.takes if t.name in names] if names else []


def in_order(project: Project, takes: Iterable[Take]) -> list[Take]:
    """Takes with those that they draw on before them. Raises RecipeError where they draw on each other in a circle."""
    out: dict[str, Take] = {}

    def visit(take: Take, way: tuple[str, ...]) -> None:
        if take.name in way:
            circle = " → ".join((*way[way.index(take.name) :], take.name))
            raise RecipeError(f"takes depend on each other: {circle}", advice="Let one of them use something else.")
        if take.name not in out:
            for other in drawn_on(project, take):
                visit(other, (*way, take.name))
            out[take.name] = take

    wanted = {t.name: t for t in takes}
    for take in wanted.values():
        visit(take, ())
    return [t for name, t in out.items() if name in wanted]


class Given:
    """What a project's takes come of; files are hashed once."""

    def __init__(self, folder: Path, project: Project) -> None:
        self.folder, self.project = folder, project
        self._files: dict[str, str] = {}

    def files(self, take: Take) -> list[str]:
        """The sources that a take needs; all of them where a step of it names no rig and would take the only one."""
        chain = self._chain(take)
        open_ = any("" in values(s, "rig") for t in chain for s in t.steps)
        return sorted({s.file for s in self.project.sources} if open_ else files_for(self.project, take))

    def _chain(self, take: Take) -> list[Take]:
        out, ahead = [take], [take]
        while ahead:
            for other in drawn_on(self.project, ahead.pop()):
                if other not in out:
                    out.append(other)
                    ahead.append(other)
        return out

    def inputs(self, take: Take, rigs: Iterable[str]) -> Inputs:
        """Named digests of all that the files of a take come of. rigs: keys of the rigs among its sources, as far as they are
        known. Raises ReadError where a source is missing."""
        entries = {s.file: s for s in self.project.sources}
        out = {"the computation": self._version, "the thresholds": digest_of(dict(self.project.limits))}
        for file in self.files(take):
            out[f"source {file}"] = self._file(file)
            told = entries[file]
            out[f"how {file} is read"] = digest_of([told.unit, told.positions, told.facing])
        known = set(rigs)
        out["what is set for its rigs"] = digest_of([d.plain() for d in self.project.rigs if d.key in known])
        own = take_plain(replace(take, folder="", note="", views=(), id=""))
        for part, name in (("steps", "its steps"), ("source", "its source"), ("stage", "its stage"), ("ranges", "its ranges"),
                           ("export", "its export settings"), ("accepted", "the findings accepted")):  # fmt: skip
            out[name] = digest_of(own.get(part))
        out["its name"] = take.export.name or take.name
        for other in self._chain(take)[1:]:
            plain = take_plain(other)
            out[f"take {other.name}"] = digest_of([plain.get(p) for p in ("steps", "source", "stage")])
        return out

    @cached_property
    def _version(self) -> str:
        return computation()

    def _file(self, file: str) -> str:
        if file not in self._files:
            path = inside(self.folder, file)
            if not path.is_file():
                raise ReadError("is missing", file, advice="Find it again in the window, or put it back.")
            self._files[file] = digest_of([digest(p) for p in with_files_beside(path)])
        return self._files[file]


def changed(before: Mapping[str, str], now: Mapping[str, str]) -> list[str]:
    """In words, what is another than it was."""
    others = [name for name, value in now.items() if name in before and before[name] != value]
    out = [f"{name} {'are others' if name.endswith('s') else 'is another'}" for name in others]
    out += [f"{name} is used for the first time" for name in now if name not in before]
    return out + [f"{name} is no longer used" for name in before if name not in now]
