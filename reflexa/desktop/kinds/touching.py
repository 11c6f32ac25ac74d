"""Saying by two clicks in the picture that a hand touches another part of the body."""

from __future__ import annotations

from functools import partial

from reflexa.contacts.bodies import volumes_for
from reflexa.desktop.kinds.contacts_now import contacts_of, edit
from reflexa.rig import Rig
from reflexa.rig.rig import SIDES
from reflexa.session import Session
from reflexa.session.selection import Waiting
from reflexa.steps.foot_lock import find

_HANDS = tuple(f"{side} hand" for side in SIDES)


def begin(session: Session, on: bool) -> None:
    """The next two joints that are picked touch each other at the playhead; off: not any more."""
    if on:
        session.said.emit("Pick a hand in the picture, then what it touches. Esc cancels.")
    session.selection.wait_for(Waiting(partial(_first, session)) if on else None)


def _first(session: Session, joint: str) -> None:
    part = _part(session.computed.rig, joint)
    session.selection.select_joint(joint)
    if not part:
        session.said.emit(f"A hand cannot touch {joint}. Pick a hand, trunk, head, arm or thigh.")
        return
    session.said.emit(f"What does {part.capitalize()} touch? Pick it in the picture. Esc cancels.")
    session.selection.wait_for(Waiting(partial(_second, session, part)))


def _second(session: Session, first: str, joint: str) -> None:
    rig, clip, second = session.computed.rig, session.computed.shown, _part(session.computed.rig, joint)
    session.selection.wait_for(None)
    session.selection.select_joint(joint)
    if rig is None or clip is None:
        return
    # Of two hands it is the left one that touches.
    pairs = [(a, b) for a, b in ((first, second), (second, first)) if b in _touched_by(rig, a)]
    if not pairs:
        session.said.emit("A hand can touch the other hand or arm, trunk, head or thighs. Pick both again.")
        return
    hand, other = min(pairs)
    contacts, frame = contacts_of(session), session.player.frame
    put_in = find.added(contacts, f"{hand} on {other}", frame, clip.frames, max(2, round(clip.rate / 2)))
    if put_in == contacts:
        session.said.emit(f"{hand.capitalize()} on {other} exists already at this frame.")
        return
    edit(session, f"{hand} on {other}", put_in)


def _touched_by(rig: Rig, part: str) -> set[str]:
    """The parts that a hand can touch; none of what is no hand."""
    if part not in _HANDS:
        return set()
    return {block.part for block in volumes_for(rig, part.split(" ")[0])} | (set(_HANDS) - {part})


def _part(rig: Rig | None, joint: str) -> str:
    """The part of the body that a joint belongs to, as contacts know it: a finger is its hand's; empty where there is none."""
    if rig is None:
        return ""
    known = set[str]().union(*(_touched_by(rig, hand) for hand in _HANDS))
    at = rig.skeleton.index.get(joint, -1)
    while at >= 0:
        part = rig.part_of(rig.skeleton.names[at])
        if part in known:
            return part
        at = int(rig.skeleton.parents[at])
    return ""
