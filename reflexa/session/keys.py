"""Edits of the selected layer's keys: what is selected of them, moved, shaped, copied and reduced."""

from __future__ import annotations

from collections.abc import Callable, Set
from dataclasses import dataclass
from typing import Literal

import msgspec

from reflexa.motion import stances
from reflexa.motion.curves import Interpolation
from reflexa.rig.joint_roles import JointRoles, RoleMap, joint_roles_of
from reflexa.session import line
from reflexa.session.session import Session
from reflexa.session.work import Job
from reflexa.stage.footing import standing_spans
from reflexa.steps.correction import KIND, CorrectionSettings, all_keys, change_keys, move_keys
from reflexa.steps.correction.copies import Copied, carried, copy_keys, paste_keys
from reflexa.steps.correction.edits import Chosen
from reflexa.steps.correction.reduction import reduce_keys
from reflexa.steps.correction.settings import Track
from reflexa.steps.correction.timing import (
    begin_after,
    ease,
    every_nth,
    flatten,
    hold_until,
    repeat_at,
    scale_keys,
    stretch_keys,
)
from reflexa.words import counted

ZERO = (0.0, 0.0, 0.0)


@dataclass(frozen=True)
class Clipboard:
    """Keys that were copied, and what their joints play on the rig that they were copied on."""

    keys: Copied
    roles: JointRoles


class _Text(msgspec.Struct, frozen=True):
    """The same as text, for the clipboard of the system."""

    reflexa: Literal["keys"]
    tracks: tuple[Track, ...]
    roles: JointRoles = msgspec.field(name="cast")


def as_text(board: Clipboard) -> str:
    """Copied keys as text, to be pasted here or in another window."""
    return msgspec.json.format(msgspec.json.encode(_Text("keys", board.keys.tracks, board.roles)), indent=1).decode()


def from_text(text: str) -> Clipboard | None:
    """Keys that were copied as text; None where it is something else."""
    try:
        found = msgspec.json.decode(text.encode(errors="replace"), type=_Text)
    except (msgspec.DecodeError, RecursionError):
        return None
    return Clipboard(Copied(found.tracks), found.roles)


def _edit(session: Session, label: str, new: CorrectionSettings, chosen: Chosen | None = None) -> None:
    chosen = session.selection.keys if chosen is None else chosen
    line.edit_layer(session, label, new)
    session.selection.select_keys(chosen & all_keys(new))


# Which ----------------------------------------------------------------------------------------------------------


def select(session: Session, which: Callable[[int], bool]) -> None:
    """Select the keys of the layer on those frames for which it holds."""
    if session.layer is not None:
        session.selection.select_keys({k for k in all_keys(session.layer) if which(k[1])})


def select_nth(session: Session, n: int) -> None:
    """Of each joint's selected keys, keep one of every n."""
    if session.layer is not None:
        session.selection.select_keys(every_nth(session.layer, session.selection.keys, n))


def joints_meant(session: Session) -> list[str]:
    """The joints that an edit means: of the selected keys, else the selected joint, else all that have keys."""
    layer, joint = session.layer, session.selection.joint
    if layer is None:
        return []
    if session.selection.keys:
        return sorted({j for j, _ in session.selection.keys})
    return [joint] if layer.track(joint).keys else [t.joint for t in layer.tracks]


# Shapes ---------------------------------------------------------------------------------------------------------


def delete(session: Session) -> None:
    """Take the selected keys away."""
    keys = session.selection.keys
    if session.layer is not None and keys:
        label = f"remove {counted(len(keys), 'key')}"
        line.edit_layer(session, label, change_keys(session.layer, keys))


def interpolate(session: Session, then: Interpolation) -> None:
    """How the curves go on from the selected keys."""
    if session.layer is not None and session.selection.keys:
        line.edit_layer(session, f"make keys {then}", change_keys(session.layer, session.selection.keys, then=then))


def make_neutral(session: Session) -> None:
    """The selected keys change nothing."""
    if session.layer is not None and session.selection.keys:
        new = change_keys(session.layer, session.selection.keys, rotate=ZERO, move=ZERO, swing=0.0)
        line.edit_layer(session, "make keys neutral", new)


def ease_by(session: Session, name: str, shares: tuple[float, float]) -> None:
    """Ease the spans that begin with the selected keys."""
    if session.layer is not None and session.selection.keys:
        _edit(session, f"ease: {name.lower()}", ease(session.layer, session.selection.keys, *shares))


def flatten_selected(session: Session) -> None:
    """The selected keys of each joint say what the first of them does."""
    if session.layer is not None:
        _edit(session, "flatten keys", flatten(session.layer, session.selection.keys))


# Time -----------------------------------------------------------------------------------------------------------


def nudge(session: Session, by: int) -> None:
    """Move the selected keys by frames, as far as the clip goes."""
    layer, keys, last = session.layer, session.selection.keys, session.computed.frames - 1
    if layer is not None and keys:
        frames = [f for _, f in keys]
        by = max(-min(frames), min(by, last - max(frames)))
        line.edit_layer(session, "move keys", move_keys(layer, keys, by, last), merge="nudge")
        session.selection.select_keys({(j, f + by) for j, f in keys})


def scale(session: Session, factor: float) -> None:
    """The selected keys' distance from the playhead, times a factor."""
    if session.layer is not None:
        frame, last = session.player.frame, session.computed.frames - 1
        new = scale_keys(session.layer, session.selection.keys, frame, factor, last)
        _edit(session, "scale keys", new, all_keys(new))


def stretch(session: Session, frames: int) -> None:
    """From the first to the last of the selected keys there are so many frames then."""
    _stretch(session, "stretch keys", session.selection.keys, frames)


def stretch_layer(session: Session, frames: int) -> None:
    """Every key of the layer, spread so that from the first to the last there are so many frames."""
    if session.layer is not None:
        _stretch(session, "stretch the layer", all_keys(session.layer), frames)


def _stretch(session: Session, label: str, keys: Set[tuple[str, int]], frames: int) -> None:
    if session.layer is not None:
        new = stretch_keys(session.layer, keys, frames, session.computed.frames - 1)
        _edit(session, label, new, all_keys(new))


def repeat(session: Session, frames: list[int]) -> None:
    """The selected keys again from other frames on."""
    if session.layer is not None:
        new = repeat_at(session.layer, session.selection.keys, frames, session.computed.frames - 1)
        _edit(session, "repeat keys at other frames", new)


def footfalls(session: Session, done: Callable[[list[int]], None]) -> None:
    """Find the frames at which a foot comes down in the clip that the step works on."""
    below, rig = session.computed.below, session.computed.below_rig
    if below is None or rig is None:
        done([])
        return

    def call(_: Job[list[int]]) -> list[int]:
        return sorted({a for m in standing_spans(below, rig).values() for a, _ in stances.spans(m) if a > 0})

    session.work.start(Job(call, done))


def begin_after_playhead(session: Session) -> None:
    """Nothing is corrected up to the playhead."""
    if session.layer is not None:
        new = begin_after(session.layer, joints_meant(session), session.player.frame)
        _edit(session, "start the correction after this frame", new)


def hold(session: Session, until: int) -> None:
    """What is corrected at the playhead is held until a frame."""
    if session.layer is not None:
        new = hold_until(session.layer, joints_meant(session), session.player.frame, until, session.computed.frames - 1)
        _edit(session, f"hold until frame {until}", new)


def reduce(session: Session, degrees: float) -> None:
    """As few keys as keep the curves within degrees, and moves within as many mm; off the interface thread."""
    layer = session.layer
    if layer is None:
        return

    def done(new: CorrectionSettings) -> None:
        _edit(session, "reduce keys", new)
        session.said.emit(f"{len(all_keys(new))} of {counted(len(all_keys(layer)), 'key')} left.")

    job = Job(lambda _: reduce_keys(layer, degrees, degrees), done)
    job.lands = lambda: session.layer is layer  # and nothing else was done meanwhile
    session.work.start(job)


# Copies ---------------------------------------------------------------------------------------------------------


def copy(session: Session) -> Clipboard | None:
    """The selected keys, to be pasted elsewhere."""
    if session.layer is None or session.computed.step_rig is None:
        return None
    session.said.emit(f"{counted(len(session.selection.keys), 'key')} copied.")
    copied = copy_keys(session.layer, session.selection.keys)
    return Clipboard(copied, joint_roles_of(session.computed.step_rig, (t.joint for t in copied.tracks)))


def paste(session: Session, board: Clipboard, at: int | None, mirrored: bool = False) -> None:
    """Put copied keys into the selected layer from a frame on (None: on their own frames); into a new layer where none is
    selected. Joints meet by name, or by a rename map."""
    if session.layer is None:
        line.add(session, KIND.kind, "Pasted keys")
    rig, layer, last = session.computed.step_rig, session.layer, session.computed.frames - 1
    if rig is None or layer is None:
        return
    keys, lacks = board.keys, tuple[str, ...]()
    if board.roles.key != rig.key:
        to = RoleMap(board.roles, rig)
        keys, lacks = Copied(carried(CorrectionSettings(tracks=keys.tracks), to).tracks), tuple(to.lacks)
    new, gone = paste_keys(layer, keys, rig, last, at=at, mirrored=mirrored)
    gone = (*lacks, *gone)
    label = "paste keys mirrored" if mirrored else "paste keys"
    _edit(session, label, new, all_keys(new) - all_keys(layer))
    by = 0 if at is None else at - board.keys.first
    outside = sum(not 0 <= k.frame + by <= last for t in board.keys.tracks for k in t.keys)
    said = [f"This rig has no joint {', '.join(gone[:6])}: their keys were ignored."] if gone else []
    if outside:
        said.append(f"{counted(outside, 'key')} ignored, after the last frame of the clip, {last}.")
    if said:
        session.said.emit(" ".join(said))


def to_other_side(session: Session) -> None:
    """The selected keys, mirrored, on the other side too."""
    rig, layer = session.computed.step_rig, session.layer
    if rig is not None and layer is not None:
        copied = copy_keys(layer, session.selection.keys)
        new, _ = paste_keys(layer, copied, rig, session.computed.frames - 1, mirrored=True)
        _edit(session, "copy keys to the other side", new)
