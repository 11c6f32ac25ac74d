"""Events and keys that lie outside the clip."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Subject


def _run(subject: Subject) -> list[Finding]:
    clip, last = subject.clip, subject.clip.frames - 1
    joint = clip.skeleton.names[subject.rig.travel_joint]
    out = []
    for e in clip.events:
        if not 0 <= e.frame <= last:
            by = -e.frame if e.frame < 0 else e.frame - last
            text = f"the event {e.name!r} at frame {e.frame:g} lies outside the clip"
            at = 0 if e.frame < 0 else last
            out.append(Finding("outside-range", joint, text, (at, at), at, float(by), 0.0, "frames"))
    return out


CHECK = Check("outside-range", "Outside the clip", "An event lies outside the clip.", _run, 38, ("outside-range",))
