"""Joints and tracks that the source has and the result lacks."""

from __future__ import annotations

from reflexa.checks.model import Check, Finding, Subject
from reflexa.steps.registry import kind_of


def _run(subject: Subject) -> list[Finding]:
    """One finding for all joints that are gone or have another name, where no step takes the clip to another rig; one per
    track."""
    if subject.source is None:
        return []
    before, _ = subject.source
    clip = subject.clip
    out = []
    if not any(s.acts and kind_of(s.kind).changes_rig for s in subject.steps):
        gone = [n for n in before.skeleton.names if n not in clip.skeleton.index]
        if gone:
            more = f" and {len(gone) - 1} more joints are" if len(gone) > 1 else " is"
            text = f"{gone[0]}{more} lost or renamed"
            out.append(Finding("lost", gone[0], text, subject.whole, 0, float(len(gone)), 0.0, "joints"))
    kept = {t.name for t in clip.tracks}
    for track in before.tracks:
        if track.name not in kept:
            text = f"the track {track.name!r} is lost"
            out.append(Finding("lost", subject.body, text, subject.whole, 0, 1.0, 0.0, "tracks"))
    return out


CHECK = Check(
    "lost", "Lost", "A joint or a track of the source is missing in the result.", _run, 78, line=True, whole=True
)
