"""Edits of the segments that the open take's source is made of."""

from __future__ import annotations

from dataclasses import replace

from reflexa.session import takes
from reflexa.session.session import Session
from reflexa.session.work import Job
from reflexa.take import Segment
from reflexa.take.sequence import best_seam, segment_clip

# Within how many seconds of both ends the best frames for a seam are looked for.
_WITHIN = 1.0


def segments(session: Session) -> tuple[Segment, ...]:
    """Those of the open take."""
    return session.take.source.segments if session.take is not None else ()


def spans(session: Session) -> list[tuple[int, int]]:
    """First and last frame of every segment in the clip that they make; none while that is computed."""
    line, given, seams = session.computed.evaluation, segments(session), session.evaluator.seams
    if line is None or line.take.source.segments != given or len(seams) != len(given) - 1:
        return []
    firsts = [0, *(s.first for s in seams)]
    lasts = [*(max(s.last, s.first - 1) for s in seams), line.clips[0].frames - 1]
    return list(zip(firsts, lasts, strict=True))


def seams_said(session: Session) -> list[tuple[int, str]]:
    """Where each seam is, how far both sides differ there, and how far joints jerk across it beside what they do elsewhere."""
    return [
        (
            s.first,
            f"{s.pose:.1f} cm and {s.velocity:.0f} cm/s apart, jerks by {s.jerk:.1f} cm per frame (elsewhere "
            f"{s.elsewhere:.1f})",
        )
        for s in (session.evaluator.seams if spans(session) else ())
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
    """Trim a segment and the one before it so that they meet where they are nearest in pose and velocity; looked for off the
    interface thread."""
    given, rig = segments(session), session.source_rig
    if not 0 < at < len(given) or rig is None:
        return
    a, b = given[at - 1], given[at]
    documents = [session.sources.documents.get(s.file) for s in (a, b)]
    clips = [d.clip(s.clip) for d, s in zip(documents, (a, b), strict=True) if d is not None]
    known = [c for c in clips if c is not None]
    if len(known) < 2:
        return

    def call(_: Job[tuple[Segment, Segment, float]]) -> tuple[Segment, Segment, float]:
        one, two = (segment_clip(c, rig, s) for c, s in zip(known, (a, b), strict=True))
        end, begin, near = best_seam(one, two, rig, max(2, round(_WITHIN * one.rate)))
        return _shortened(a, known[0].frames, 0, one.frames - 1 - end), _shortened(b, known[1].frames, begin, 0), near

    def done(found: tuple[Segment, Segment, float]) -> None:
        if segments(session) == given:
            new = (*given[: at - 1], *found[:2], *given[at + 1 :])
            takes.set_segments(session, new, "best frames for the seam")
            session.said.emit(f"They are {found[2]:.1f} cm apart, including velocity.")

    session.work.start(Job(call, done), "seam")


def _shortened(s: Segment, frames: int, head: int, tail: int) -> Segment:
    """A segment without so many of its own frames at its beginning and end."""
    last = frames - 1 if s.last is None else s.last
    a, b = round(head * s.speed), round(tail * s.speed)
    a, b = (b, a) if s.reversed else (a, b)
    return replace(s, first=min(s.first + a, last - b), last=last - b if b or s.last is not None else None)
