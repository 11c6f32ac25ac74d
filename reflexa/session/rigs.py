"""What a person says of the rigs."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from reflexa.formats.rigfile import RigDocument
from reflexa.rig import Rig
from reflexa.rig import notes as rig_edits
from reflexa.rig.notes import Notes, notes_of
from reflexa.session.selection import Waiting
from reflexa.session.session import Session


def edit(session: Session, label: str, rig: Rig, notes: Notes, merge: str = "") -> None:
    """Say something of a rig: it holds for every source of that rig, undoes, and is saved with the project."""
    old = session.project.rig_document(rig.key)
    document = session.sources.document_of(rig, session.document)
    name = old.name if old is not None else Path(document.path).stem if document is not None else rig.key
    said = RigDocument(name, rig.key, notes, old.unknown if old is not None else {})
    session.edit(label, session.project.with_rig(said), merge)


def _edit_joint(session: Session, label: str, change: Callable[[Notes], Notes]) -> None:
    rig = session.computed.rig
    if rig is not None and session.selection.joint in rig.skeleton.index:
        edit(session, label, rig, change(notes_of(rig)))


def start_pairing(session: Session, joint: str) -> None:
    """The next joint that is picked becomes the partner of this one; an empty text calls it off."""
    if joint:
        session.said.emit(f"Pick the partner of {joint} in the picture or in the list. Esc cancels.")
    session.selection.wait_for(Waiting(partial(_pair_with, session, joint), joint) if joint else None)


def _pair_with(session: Session, first: str, joint: str) -> None:
    if joint != first:
        session.selection.wait_for(None)
        pair(session, first, joint)
        session.selection.select_joint(first)


def pick(session: Session, joint: str) -> None:
    """A joint was picked: it is selected, or goes to whoever asked for one."""
    waiting = session.selection.waiting
    if waiting is not None and joint:
        waiting.take(joint)
    else:
        session.selection.select_joint(joint)


def pair(session: Session, a: str, b: str) -> None:
    """Make two joints partners; which is the left one, its place in rest tells."""
    rig = session.computed.rig
    if rig is None or a == b or not {a, b} <= set(rig.skeleton.index):
        return
    placed = rig.neutral.rest_model[1]
    i, j = rig.skeleton.index[a], rig.skeleton.index[b]
    left, right = (a, b) if (placed[i] - placed[j]) @ rig.plane.normal >= 0 else (b, a)
    edit(session, f"pair {left} and {right}", rig, rig_edits.pair(notes_of(rig), left, right))


def unpair(session: Session) -> None:
    """Take the selected joint out of its pair, or off the centre line."""
    joint = session.selection.joint
    _edit_joint(session, f"unpair {joint}", lambda n: rig_edits.unpair(n, joint))


def mark_centre(session: Session) -> None:
    """Put the selected joint on the centre line."""
    joint = session.selection.joint
    _edit_joint(session, f"mark {joint} as centre joint", lambda n: rig_edits.mark_centre(n, joint))


def stand(session: Session, height: float, tilt: float) -> None:
    """Say how both feet of the rig shown stand: the ankle's height over the floor, metres, and the tilt, degrees."""
    rig = session.computed.rig
    if rig is not None:
        edit(session, "how feet stand", rig, rig_edits.stand(notes_of(rig), rig, height, tilt), merge="how feet stand")


def stand_as_found(session: Session) -> None:
    """Feet of the rig shown stand as skin, rest pose or clips tell."""
    rig = session.computed.rig
    if rig is not None:
        edit(session, "reset how feet stand", rig, rig_edits.stand_as_found(notes_of(rig)))


def keep_group(session: Session, name: str, joints: tuple[str, ...]) -> None:
    """Put joints of the rig that the selected step stands on together under a name; none: the group is no more."""
    rig = session.computed.step_rig
    if rig is not None and name.strip():
        label = f"group {name.strip()}" if joints else f"remove group {name.strip()}"
        edit(session, label, rig, rig_edits.group(notes_of(rig), name.strip(), joints))


def take_reference(session: Session, on: bool) -> None:
    """Take the frame at the playhead for the neutral pose of the rig shown, or go back to its rest pose."""
    rig, clip = session.computed.rig, session.computed.shown
    if rig is not None and clip is not None:
        frame = min(session.player.frame, clip.frames - 1)
        notes = rig_edits.take_reference(notes_of(rig), clip if on else None, frame)
        edit(session, "use this frame as neutral" if on else "use the rest pose as neutral", rig, notes)


def forget(session: Session, rig: Rig) -> None:
    """Back to what was found: everything said of the rig is removed."""
    session.edit("reset the rig", session.project.without_rig(rig.key))
