"""Events, keys and ranges that lie outside the clip."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Subject
from reflexa.steps.registry import kind_of


def _run(subject: Subject) -> list[Finding]:
    """One finding per event and range, and per step whose keys or envelope reach beyond the clip that it makes."""
    last = subject.clip.frames - 1
    found: list[tuple[float, str]] = []
    for e in subject.clip.events:
        found.append((e.frame, f"the event {e.name!r} at frame {e.frame:g} lies outside the clip"))
    for r in subject.ranges:
        furthest = r.first if r.first < 0 else max(r.first, r.last)
        found.append((furthest, f"the range {r.name!r}, frames {r.first} to {r.last}, lies outside the clip"))
    acting = [s for s in subject.steps if s.acts]
    for i, step in enumerate(acting):
        moments = kind_of(step.kind).moments
        if step.tied is not None or any(kind_of(s.kind).changes_time for s in acting[i:]):
            continue  # the result has other frames than it speaks of
        keys = [*(moments(step.settings) if moments is not None else ()), *(f for f, _ in step.envelope)]
        out = [f for f in keys if not 0 <= f <= last]
        if out:
            many = f"{len(out)} keys of" if len(out) > 1 else "a key of"
            furthest = max(out, key=lambda f: max(-f, f - last))
            found.append((furthest, f"{many} {step.name or step.kind!r} outside the clip, at frame {furthest:g}"))
    return [_finding(subject, frame, text, last) for frame, text in found if not 0 <= frame <= last]


def _finding(subject: Subject, frame: float, text: str, last: int) -> Finding:
    at, by = (0, -frame) if frame < 0 else (last, frame - last)
    return Finding("outside-range", subject.body, text, (at, at), at, float(by), 0.0, "frames")


CHECK = Check(
    "outside-range",
    "Outside the clip",
    "An event, a key or a range lies outside the clip.",
    _run,
    38,
    line=True,
    about="time",
    whole=True,
)
