"""Edits of events: of the step that writes them down, which is added where there is none to edit."""

from __future__ import annotations

from dataclasses import replace as with_fields
from typing import Literal

import msgspec
from msgspec.structs import replace

from reflexa.motion.clip import Event
from reflexa.session import line
from reflexa.session.session import Session
from reflexa.steps import make
from reflexa.steps.events import KIND, EventsSettings, Written, event_of, from_label, of_feet, written
from reflexa.take import edits


def seen(session: Session) -> tuple[Event, ...]:
    """The events of the clip that is looked at."""
    return session.computed.shown.events if session.computed.shown is not None else ()


def known_names(session: Session) -> list[str]:
    """Events in the project as they are typed, those of the open take first."""
    clips = [d.or_rest.heads for d in session.sources.documents.values()]
    names = [e.label for e in seen(session)] + [e.label for c in clips for clip in c for e in clip.events]
    return list(dict.fromkeys(names))


def put(session: Session, label: str, events: list[Event], merge: str = "") -> None:
    """Have these events stand at what is looked at: those of its step, or of a new one behind it."""
    take, evaluation = session.take, session.computed.evaluation
    if take is None or evaluation is None:
        return
    listed = tuple(written(e) for e in sorted(events, key=lambda e: e.frame))
    seen = evaluation.after(session.selection.view_point)
    for at in range(seen - 1, -1, -1):
        step = take.steps[at]
        if isinstance(step.settings, EventsSettings) and step.acts and not step.settings.from_contacts:
            settings = replace(step.settings, events=listed, keep=False, rename={})
            line.edit(session, label, replace(step, settings=settings), merge)
            return
        if step.acts and evaluation.outcomes[at + 1].times is not None:
            break
    step = edits.named_step(take, make(KIND.kind, events=listed, keep=False))
    session.edit_take(label, edits.insert_step(take, seen, step), merge)


def add(session: Session, label: str, frame: int) -> None:
    """An event at a frame: ``name``, or ``name = value``."""
    event = from_label(label, float(frame))
    if event is not None:
        put(session, f"add event {event.name}", [*seen(session), event])


def move(session: Session, index: int, frame: float) -> None:
    """One of the events that are seen to another frame."""
    events = list(seen(session))
    if 0 <= index < len(events) and events[index].frame != frame:
        moved = with_fields(events[index], frame=float(min(max(round(frame), 0), session.computed.frames - 1)))
        put(session, f"move event {moved.name}", [*events[:index], moved, *events[index + 1 :]], merge="move event")


def rename(session: Session, index: int, label: str) -> None:
    """Another name (and value: ``name = value``) for one of the events that are seen; an empty one takes it out."""
    events = list(seen(session))
    if 0 <= index < len(events):
        new = from_label(label, events[index].frame)
        kept = [*events[:index], *([new] if new is not None else []), *events[index + 1 :]]
        put(
            session,
            (f"rename event {events[index].name}" if new is not None else f"remove event {events[index].name}"),
            kept,
        )


def as_text(session: Session) -> str:
    """The events that are seen, to be pasted to another clip."""
    return msgspec.json.encode({"reflexa": "events", "events": [written(e) for e in seen(session)]}).decode()


def paste(session: Session, text: str) -> int:
    """Add events that were copied from another clip, those that lie inside this one; how many they are.
    Says where none are."""
    try:
        copied = list(map(event_of, msgspec.json.decode(text.encode(), type=_Copied).events))
    except (msgspec.MsgspecError, ValueError):
        session.said.emit("The clipboard contains no events.")
        return 0
    inside = [e for e in copied if e.name.strip() and 0 <= e.frame <= session.computed.frames - 1]
    new = [e for e in inside if e not in seen(session)]
    if new:
        put(session, "paste events", [*seen(session), *new])
    else:
        session.said.emit("All copied events exist already or lie outside the clip.")
    return len(new)


class _Copied(msgspec.Struct):
    reflexa: Literal["events"]
    events: tuple[Written, ...]


def from_contacts(session: Session) -> int:
    """A strike and a lift of each foot added to the events that are seen; says and gives how many there are."""
    clip, rig = session.computed.shown, session.computed.rig
    if clip is None or rig is None:
        return 0
    found = [e for e in of_feet(clip, rig) if e not in clip.events]
    if found:
        put(session, "events from contacts", [*clip.events, *found])
    many = "1 event of a foot" if len(found) == 1 else f"{len(found)} events of feet"
    session.said.emit(f"{many} added." if found else "All foot strikes and lifts have events already.")
    return len(found)
