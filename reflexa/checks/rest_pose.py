"""Frames of rest pose at the head or tail of a clip."""

from __future__ import annotations

from types import MappingProxyType

from reflexa.checks.model import Check, Finding, Repair, Subject
from reflexa.rig.rest_ends import rest_ends
from reflexa.words import counted

TRIM = Repair("Trim the rest pose", "trim", MappingProxyType({"rest_ends": True}))


def _run(subject: Subject) -> list[Finding]:
    clip = subject.clip
    head, tail = rest_ends(clip, subject.rig)
    joint = subject.body
    out = []
    for count, where, first in ((head, "head", 0), (tail, "tail", clip.frames - tail)):
        if count:
            text = f"{counted(count, 'frame')} of rest pose at the {where}"
            out.append(
                Finding("rest-pose", joint, text, (first, first + count - 1), first, float(count), 0.0, "frames", TRIM)
            )
    return out


CHECK = Check(
    "rest-pose", "Rest pose", "Frames at the start or end are in rest pose.", _run, 35, about="time", whole=True
)
