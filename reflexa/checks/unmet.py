"""What steps ask for and the result does not do: goals out of reach, or undone by a later step."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Subject
from reflexa.steps.model import Result
from reflexa.steps.registry import kind_of


def _run(subject: Subject) -> list[Finding]:
    """One finding per wish of a step that the result misses."""
    out = []
    acting = tuple(s for s in subject.steps if s.acts)
    result = Result(subject.clip, subject.rig, subject.stage)
    for i, step in enumerate(acting):
        ask = kind_of(step.kind).unmet
        for u in ask(step, acting[i + 1 :], result) if ask is not None else ():
            out.append(Finding("goal out of reach", u.joint, u.text, u.frames, u.worst, u.size, u.threshold, u.unit))
    return out


CHECK = Check(
    "unmet", "Goal out of reach", "A step asks for something that the result does not do.", _run, 60,
    ("goal out of reach",),
)  # fmt: skip
