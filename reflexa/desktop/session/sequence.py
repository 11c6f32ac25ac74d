"""Edits of the segments that the open take's source is made of."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from reflexa.desktop.session import takes
from reflexa.desktop.session.session import Session
from reflexa.errors import RecipeError
from reflexa.motion.joining import Seam
from reflexa.take import Segment
from reflexa.take.sequence import best_seam, segment_clip

# Within how many seconds of both ends the best frames for a seam are looked for.
_WITHIN = 1.0


def segments(session: Session) -> tuple[Segment, ...]:
    """Those of the open take."""
    return session.take.source.segments if session.take is not None else ()


def spans(session: Session) -> list[tuple[int, int]]:
    """First and last frame of every segment in the clip that they make; none while that is computed."""
    line, given, seams = session.evaluation, segments(session), session.evaluator.seams
    if line is None or line.take.source.segments != given or len(seams) != len(given) - 1:
        return []
    firsts = [0, *(s.first for s in seams)]
    lasts = [*(max(s.last, s.first - 1) for s in seams), line.clips[0].frames - 1]
    return list(zip(firsts, lasts, strict=True))


def seams_said(session: Session) -> list[tuple[int, str]]:
    """Where each seam is, how far both sides differ there, and how far joints jerk across it beside what they do elsewhere."""
    line, found = session.evaluation, list[tuple[Seam, float]]()
    if line is None or not spans(session):
        return []
    clip = line.clips[0]
    placed = clip.model[1]
    if clip.frames < 4:
        return []
    steps = np.linalg.norm(np.diff(placed, n=2, axis=0), axis=-1).max(axis=1) * 100
    inside = np.zeros(len(steps), dtype=bool)
    for seam in session.evaluator.seams:
        a, b = max(seam.first - 2, 0), min(max(seam.last, seam.first) + 1, len(steps))
        inside[a:b] = True
        found.append((seam, float(steps[a:b].max())))
    elsewhere = float(steps[~inside].max(initial=0.0))
    return [
        (
            s.first,
            f"{s.pose:.1f} cm and {s.velocity:.0f} cm/s apart, jerks by {size:.1f} cm (elsewhere {elsewhere:.1f})",
        )
        for s, size in found
    ]


def change(session: Session, at: int, new: Segment, merge: str = "") -> None:
    """One of them otherwise."""
    given = segments(session)
    if 0 <= at < len(given) and given[at] != new:
        takes.set_segments(session, (*given[:at], new, *given[at + 1 :]), f"set segment {at + 1}", merge)


def trim(session: Session, at: int, old: Segment, first: int, last: int) -> None:
    """A segment that begins and ends so many frames of its clip later than it did."""
    document = session.sources.documents.get(old.file)
    clip = document.clip(old.clip) if document is not None else None
    if clip is None:
        return
    end = clip.frames - 1
    to = min(max((end if old.last is None else old.last) + last, 0), end)
    begin = min(max(old.first + first, 0), to)
    change(session, at, replace(old, first=begin, last=None if to == end else max(to, begin)), "trim segment")


def move(session: Session, at: int, to: int) -> None:
    """Elsewhere in the row."""
    given = list(segments(session))
    if 0 <= at < len(given) and 0 <= to < len(given) and at != to:
        given.insert(to, given.pop(at))
        takes.set_segments(session, tuple(given), f"move segment {at + 1}")


def again(session: Session, at: int) -> None:
    """The same once more behind it."""
    given = segments(session)
    if 0 <= at < len(given):
        takes.set_segments(session, (*given[: at + 1], given[at], *given[at + 1 :]), f"repeat segment {at + 1}")


def remove(session: Session, at: int) -> None:
    """Out of the row; the last one stays."""
    given = segments(session)
    if 0 <= at < len(given) and len(given) > 1:
        takes.set_segments(session, (*given[:at], *given[at + 1 :]), f"remove segment {at + 1}")


def best(session: Session, at: int) -> None:
    """Trim a segment and the one before it so that they meet where they are nearest in pose and velocity."""
    given, rig = segments(session), session.source_rig
    if not 0 < at < len(given) or rig is None:
        return
    a, b = given[at - 1], given[at]
    documents = [session.sources.documents.get(s.file) for s in (a, b)]
    clips = [d.clip(s.clip) if d is not None else None for d, s in zip(documents, (a, b), strict=True)]
    if clips[0] is None or clips[1] is None:
        return
    try:
        made = [segment_clip(c, rig, s) for c, s in zip(clips, (a, b), strict=True) if c is not None]
    except RecipeError as e:
        session.said.emit(str(e))
        return
    end, begin, near = best_seam(made[0], made[1], rig, max(2, round(_WITHIN * made[0].rate)))
    new_a = _shortened(a, clips[0].frames, 0, made[0].frames - 1 - end)
    new_b = _shortened(b, clips[1].frames, begin, 0)
    takes.set_segments(session, (*given[: at - 1], new_a, new_b, *given[at + 1 :]), "best frames for the seam")
    session.said.emit(f"They meet {near:.1f} cm apart, velocity counted in.")


def _shortened(s: Segment, frames: int, head: int, tail: int) -> Segment:
    """A segment without so many of its own frames at its beginning and end."""
    last = frames - 1 if s.last is None else s.last
    a, b = round(head * s.speed), round(tail * s.speed)
    a, b = (b, a) if s.reversed else (a, b)
    return replace(s, first=min(s.first + a, last - b), last=last - b if b or s.last is not None else None)
