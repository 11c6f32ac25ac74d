"""Edits of the ranges of a take: parts of its result that are handed over as clips of their own."""

from __future__ import annotations

from dataclasses import replace

from reflexa.names import free_name
from reflexa.session.session import Session
from reflexa.take import Range


def _put(session: Session, label: str, ranges: tuple[Range, ...], merge: str = "") -> None:
    take = session.take
    if take is not None:
        session.edit_take(label, replace(take, ranges=tuple(sorted(ranges, key=lambda r: (r.first, r.last)))), merge)


def add(session: Session, name: str) -> None:
    """What is between the handles of the range, kept under a name."""
    take = session.take
    if take is None:
        return
    first, last = session.computed.range
    own = free_name(name.strip() or "range", (r.name for r in take.ranges))
    whole = (
        session.computed.result is not None
        and session.computed.result.loop
        and (first, last) == (0, session.computed.frames - 1)
    )
    _put(session, f"save range {own}", (*take.ranges, Range(own, first, last, whole)))


def change(session: Session, old: Range, new: Range, merge: str = "") -> None:
    """One of them otherwise."""
    take = session.take
    if take is None or old not in take.ranges:
        return
    others = [r for r in take.ranges if r != old]
    end = session.computed.frames - 1
    first = min(max(new.first, 0), end)
    new = replace(
        new, first=first, last=min(max(new.last, first), end), name=free_name(new.name, (r.name for r in others))
    )
    _put(session, f"set range {new.name}", (*others, new), merge)


def remove(session: Session, old: Range) -> None:
    take = session.take
    if take is not None:
        _put(session, f"remove range {old.name}", tuple(r for r in take.ranges if r != old))
