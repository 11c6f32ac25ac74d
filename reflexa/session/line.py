"""Edits of the revision line: its steps. Whatever is locked says so, and stays as it is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace as with_fields
from typing import Any

from msgspec.structs import replace

from reflexa.session.selection import RESULT
from reflexa.session.session import Session
from reflexa.steps import SOURCE, Beginning, Context, Given, Settings, Step, kind_of, make
from reflexa.steps.correction import CorrectionSettings, Track, pose_key, with_track
from reflexa.steps.model import Tie
from reflexa.take import Take, edits
from reflexa.take.edits import LockedError


def attempted(session: Session, edit: Callable[[], Take]) -> Take | None:
    """The next take, or None where something is locked; then that was said."""
    try:
        return edit()
    except LockedError as e:
        session.said.emit(str(e))
        session.selection.changed.emit()
        return None


def add(session: Session, kind: str, name: str = "", **settings: Any) -> None:
    """Add a step after the selected card (at the end behind the result), and select it. What is not said of its settings
    follows from what is selected and stands before it."""
    take = session.take
    if take is None:
        return
    card = session.selection.card
    at = 0 if card == SOURCE else session.index + 1 if session.step is not None else len(take.steps)
    insert(session, at, kind, name, **settings)


def insert(session: Session, at: int, kind: str, name: str = "", **settings: Any) -> None:
    """Add a step before position ``at`` of the line, and select it."""
    take = session.take
    if take is None:
        return
    begun = begun_with(session, kind, at)
    step = edits.named_step(take, make(kind, name or kind_of(kind).title, **{**begun, **settings}))
    if session.edit_take(f"add {step.name}", edits.insert_step(take, at, step), card=step.id):
        session.selection.set_view_point(RESULT)


def begun_with(session: Session, kind: str, at: int) -> dict[str, Any]:
    """The settings with which a step of a kind begins before position ``at`` of the line; empty: as they are."""
    begin, line, take = kind_of(kind).begin, session.computed.evaluation, session.take
    if begin is None or take is None:
        return {}
    known = line is not None and line.take.steps[:at] == take.steps[:at] and at < len(line.clips)
    given = Given(line.clips[at], session.as_said(line.rigs[at])) if line is not None and known else None
    context = Context(session.rigs, {}, take.stage)
    selected = session.selection
    frame = (
        session.player.frame
        if line is None or not known
        else line.moment(session.player.frame, line.after(selected.view_point), at)
    )
    return begin(Beginning(given, context, take.steps[:at], selected.joint, selected.prop, frame))


def put_instead(session: Session, kind: str, **settings: Any) -> None:
    """Put a step of another kind in the selected one's place."""
    take, old = session.take, session.step
    if take is not None and old is not None:
        step = edits.named_step(take, make(kind, **settings))
        new = attempted(session, lambda: edits.replace_steps(take, old.id, old.id, step))
        if new is not None:
            session.edit_take(f"use {step.name} instead", new, card=step.id)


def edit(session: Session, label: str, step: Step, merge: str = "") -> bool:
    """Replace a step of the open take by another value of it."""
    take = session.take
    if take is None or take.step(step.id) is None:
        return False
    new = attempted(session, lambda: edits.with_step(take, step))
    return new is not None and session.edit_take(label, new, merge)


def edit_settings(session: Session, label: str, settings: Settings, merge: str = "") -> bool:
    """Replace the settings of the selected step."""
    step = session.step
    return step is not None and edit(session, label, replace(step, settings=settings), merge)


def set_setting(session: Session, name: str, value: Any, merge: str = "") -> None:
    """Set one of the selected step's settings, with what follows from it."""
    step, kind = session.step, session.kind
    if step is None or kind is None:
        return
    below, rig = session.computed.below, session.computed.below_rig
    if kind.adjusted is not None and below is not None and rig is not None:
        settings = kind.adjusted(step.settings, name, value, Given(below, rig))
    else:
        settings = replace(step.settings, **{name: value})
    edit_settings(session, f"set {name.replace('_', ' ')}", settings, merge)


def switch(session: Session, step_id: str, on: bool) -> None:
    """Switch a step on or off."""
    step = session.take.step(step_id) if session.take is not None else None
    if step is not None:
        edit(session, f"switch {step.name} {'on' if on else 'off'}", replace(step, on=on))


def weigh(session: Session, step_id: str, weight: float) -> None:
    """Set how much of a step counts: 0 to 1, or to what its kind allows."""
    step = session.take.step(step_id) if session.take is not None else None
    if step is not None:
        edit(session, f"weigh {step.name}", replace(step, weight=weight), f"weight {step_id}")


def tie(session: Session, step_id: str, event: str) -> None:
    """Have a step's frames go with an event of the clip that it is laid on, from where that is now; an empty name: with none."""
    step, below = session.take.step(step_id) if session.take is not None else None, session.computed.below
    if step is None or below is None:
        return
    frame = next((e.frame for e in below.events if e.name == event), None)
    new = None if frame is None else Tie(event, frame)
    edit(session, f"tie {step.name} to {event}" if new else f"untie {step.name}", replace(step, tied=new))


def set_locked(session: Session, step_id: str, locked: bool) -> None:
    """Lock a step against edits, or unlock it."""
    step = session.take.step(step_id) if session.take is not None else None
    if step is not None:
        edit(session, f"{'lock' if locked else 'unlock'} {step.name}", replace(step, locked=locked))


def rename(session: Session, step_id: str, name: str) -> None:
    """Give a step another name; what refers to it still does."""
    step = session.take.step(step_id) if session.take is not None else None
    if step is not None and name.strip():
        edit(session, f"rename {step.name}", replace(step, name=name.strip()))


def remove(session: Session, step_id: str) -> None:
    """Take a step out; the one before it is selected then."""
    take = session.take
    step = take.step(step_id) if take is not None else None
    if take is None or step is None:
        return
    new = attempted(session, lambda: edits.without_step(take, step_id))
    if new is not None:
        at = max(take.index(step_id) - 1, 0)
        card = session.selection.card
        if card == step_id:
            card = new.steps[at].id if new.steps else RESULT
        session.edit_take(f"remove {step.name}", new, card=card)


def move(session: Session, step_id: str, to: int) -> None:
    """Move a step to another place of the line; what is selected stays selected."""
    take = session.take
    step = take.step(step_id) if take is not None else None
    if take is None or step is None or take.index(step_id) == to or not 0 <= to < len(take.steps):
        return
    new = attempted(session, lambda: edits.move_step(take, step_id, to))
    if new is not None:
        session.edit_take(f"move {step.name}", new, card=step_id)


def duplicate(session: Session, step_id: str) -> None:
    """A copy of a step behind it, selected."""
    take = session.take
    if take is not None and (step := take.step(step_id)) is not None:
        new, copy = edits.duplicate_step(take, step_id)
        session.edit_take(f"duplicate {step.name}", new, card=copy.id)


def toggle_solo(session: Session, step_id: str) -> None:
    """Show a step alone, or all of them again."""
    session.selection.set_solo("" if session.selection.solo == step_id else step_id)


def cards(session: Session) -> list[str]:
    """Every card of the line, in its order."""
    steps = session.take.steps if session.take is not None else ()
    return [SOURCE, *(s.id for s in steps), RESULT]


# Layers of keys -------------------------------------------------------------------------------------------------


def edit_layer(session: Session, label: str, settings: CorrectionSettings, merge: str = "") -> None:
    """Replace the keys of the selected layer."""
    edit_settings(session, label, settings, merge)


def begun_layer(session: Session) -> CorrectionSettings | None:
    """The selected layer. In one that replaces, a joint without keys begins as it stands below."""
    settings, below, joint = session.layer, session.computed.below, session.selection.joint
    if settings is None or below is None or settings.how == "add" or settings.track(joint).keys:
        return settings
    if joint not in below.skeleton.index:
        return settings
    frame = session.player.frame
    return with_track(settings, Track(joint, (pose_key(below, joint, min(frame, below.frames - 1), frame),)))


def set_range(session: Session, first: int | None = None, last: int | None = None) -> None:
    """Set one or both ends of what is played and exported, inside the clip and in order."""
    take = session.take
    if take is None:
        return
    if not session.computed.by_result:
        session.said.emit("The range belongs to the result. Show the result to set it.")
        return
    a, b = session.computed.range
    end = session.computed.frames - 1
    if first is not None:
        a = max(0, min(first, b))
    if last is not None:
        b = max(a, min(last, end))
    export = with_fields(take.export, first=a, last=None if b == end else b)
    session.edit_take("set the range", with_fields(take, export=export), merge="range")
