"""What steps ask for and the result does not do: targets out of reach, or undone by a later step."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Subject
from reflexa.errors import RecipeError
from reflexa.steps.model import Result
from reflexa.steps.registry import kind_of
from reflexa.steps.running import at_its_event


def _run(subject: Subject) -> list[Finding]:
    """One finding per wish of a step that the result misses."""
    out = []
    acting = tuple(s for s in subject.steps if s.acts)
    result = Result(subject.clip, subject.rig, subject.stage)
    for i, step in enumerate(acting):
        ask, later = kind_of(step.kind).unmet, acting[i + 1 :]
        if ask is None or any(kind_of(s.kind).changes_time for s in later):
            continue  # the result has other frames than it speaks of
        try:
            wish = at_its_event(step, subject.clip)
        except RecipeError:
            continue  # it could not be run, and says so
        for u in ask(wish, later, result):
            out.append(Finding("goal", u.joint, u.text, u.frames, u.worst, u.size, u.threshold, u.unit))
    return out


CHECK = Check(
    "goal", "Target out of reach", "The result does not do what a step asks for.", _run, 62,
    line=True, fine="targets are reached"
)  # fmt: skip
