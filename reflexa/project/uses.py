"""Which takes use which sources: what they begin with, and what their steps draw on."""

from __future__ import annotations

from reflexa.project.store import Project
from reflexa.steps import Step
from reflexa.steps.references import fields_for
from reflexa.take import Take
from reflexa.take.clips import TAKE


def clips_of(take: Take, file: str) -> list[str]:
    """The clips of a file that a take begins with."""
    source = take.source
    if source.segments:
        return [s.clip for s in source.segments if s.file == file]
    return [source.clip] if source.file == file else []


def users(project: Project, file: str) -> tuple[list[Take], list[Take]]:
    """The takes that begin with a source, and those others that have a step which draws on it."""
    begin = [t for t in project.takes if t.source.file == file or clips_of(t, file)]
    draw = [t for t in project.takes if t not in begin and any(_draws(s, file) for s in t.steps)]
    return begin, draw


def files_for(project: Project, take: Take) -> set[str]:
    """The sources without which a take cannot be computed, also through the takes that it draws on."""
    out: set[str] = set()
    ahead, seen = [take], {take.name}
    while ahead:
        now = ahead.pop()
        out |= {now.source.file, *(s.file for s in now.source.segments)}
        for step in now.steps:
            out |= {s.file for s in project.sources if _draws(step, s.file)}
            for value in values(step, "clip"):
                other = project.take(value.removeprefix(TAKE)) if value.startswith(TAKE) else None
                if other is not None and other.name not in seen:
                    seen.add(other.name)
                    ahead.append(other)
    return out & {s.file for s in project.sources}


def values(step: Step, what: str) -> list[str]:
    """What a step's settings name of a ``what``: "rig", "clip" …"""
    out: list[str] = []
    for name in fields_for(step.settings, what):
        value = getattr(step.settings, name)
        out += [value] if isinstance(value, str) else [v for v in value or () if isinstance(v, str)]
    return out


def clips_in(step: Step, file: str) -> list[str]:
    """The clips of a file that a step names."""
    return [v for v in values(step, "clip") if v.startswith(f"{file}/")]


def _draws(step: Step, file: str) -> bool:
    return file in values(step, "rig") or bool(clips_in(step, file))
