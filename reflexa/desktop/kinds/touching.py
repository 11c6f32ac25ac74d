"""Saying by two clicks in the picture that a hand touches another part of the body."""

from __future__ import annotations

from functools import partial

from reflexa.contacts.bodies import volumes_for
from reflexa.desktop.kinds.plants_now import edit, plants_of
from reflexa.desktop.session import Session
from reflexa.rig import Rig
from reflexa.rig.rig import SIDES
from reflexa.steps.plants import find


def begin(session: Session, on: bool) -> None:
    """The next two joints that are picked touch each other at the playhead; off: not any more."""
    session.selection.wait_for(partial(_first, session) if on else None)
    if on:
        session.said.emit("Pick a hand in the picture, then what it touches. Esc calls it off.")


def _first(session: Session, joint: str) -> None:
    part = touching_part(session.rig, joint)
    session.said.emit(f"{(part or joint).capitalize()} touches what? Pick it in the picture. Esc calls it off.")
    session.selection.wait_for(partial(_second, session, part))


def _second(session: Session, first: str, joint: str) -> None:
    session.selection.wait_for(None)
    pair = (first, touching_part(session.rig, joint))
    hands = [p for p in pair if p.endswith(" hand")]
    clip = session.shown
    if not all(pair) or not hands or pair[0] == pair[1] or clip is None:
        session.said.emit("One of the two has to be a hand, and the other another part of the body. Pick both again.")
        return
    # Of two hands it is the left one that touches.
    hand = min(hands)
    other = pair[1] if pair[0] == hand else pair[0]
    contacts, frame = plants_of(session), session.player.frame
    put_in = find.added(contacts, f"{hand} on {other}", frame, clip.frames, max(2, round(clip.rate / 2)))
    if put_in == contacts:
        session.said.emit(f"{hand.capitalize()} on {other} is there already at this frame.")
        return
    edit(session, f"{hand} on {other}", put_in)


def touching_part(rig: Rig | None, joint: str) -> str:
    """The part of the body that a joint belongs to, as contacts know it: a finger is its hand's; empty where there is none."""
    if rig is None:
        return ""
    known = {block.part for side in SIDES for block in volumes_for(rig, side)} | {f"{side} hand" for side in SIDES}
    at = rig.skeleton.index.get(joint, -1)
    while at >= 0:
        part = rig.part_of(rig.skeleton.names[at])
        if part in known:
            return part
        at = int(rig.skeleton.parents[at])
    return ""
