"""Edits of the selected step's mask."""

from __future__ import annotations

from msgspec.structs import replace

from reflexa.session import line
from reflexa.session.session import Session
from reflexa.steps import Mask


def weights(session: Session) -> dict[str, float]:
    """Weight of the selected step per joint, without its soft edge: what is painted on."""
    step, rig = session.step, session.computed.step_rig
    if step is None or rig is None:
        return {}
    if step.mask is None:
        return dict.fromkeys(rig.skeleton.names, 1.0)
    plain = replace(step.mask, edge=0)
    return dict(zip(rig.skeleton.names, plain.weights(rig).tolist(), strict=True))


def paint(session: Session, joint: str, below: bool) -> None:
    """Take a joint (or all from it down) into the mask of the selected step, or out of it."""
    step, rig = session.step, session.computed.step_rig
    if step is None or rig is None or joint not in rig.skeleton.index:
        return
    now = weights(session)
    if step.mask is None:
        now = dict.fromkeys(now, 0.0)  # the first stroke says what the step reaches at all
    names = [rig.skeleton.names[j] for j in rig.skeleton.below(rig.skeleton.index[joint])] if below else [joint]
    value = 0.0 if now[joint] > 0 else 1.0
    _set(session, "paint the mask", now | dict.fromkeys(names, value))


def mirror(session: Session) -> None:
    """The mask on the other side: each joint takes its partner's weight."""
    rig = session.computed.step_rig
    if rig is not None and session.step is not None and session.step.mask is not None:
        now, names = weights(session), rig.skeleton.names
        _set(session, "mirror the mask", {n: now[names[int(rig.partner[j])]] for j, n in enumerate(names)})


def set_mask(session: Session, mask: Mask | None) -> None:
    """Another mask for the selected step; None: all joints."""
    if session.step is not None:
        line.edit(session, "set the mask", replace(session.step, mask=mask))


def below_joint(session: Session) -> Mask | None:
    """The mask from the selected joint down; None where no joint of the rig is selected."""
    rig, joint = session.computed.step_rig, session.selection.joint
    if rig is None or joint not in rig.skeleton.index:
        return None
    return Mask(joints={rig.skeleton.names[j]: 1.0 for j in rig.skeleton.below(rig.skeleton.index[joint])})


def set_edge(session: Session, edge: int) -> None:
    """Over how many joints the mask fades in."""
    step = session.step
    if step is not None and step.mask is not None:
        line.edit(session, "set the soft edge", replace(step, mask=replace(step.mask, edge=edge)), "edge")


def _set(session: Session, label: str, now: dict[str, float]) -> None:
    step = session.step
    assert step is not None
    edge = step.mask.edge if step.mask is not None else 0
    reached = {n: w for n, w in now.items() if w > 0}
    whole = len(reached) == len(now) and set(reached.values()) == {1.0}
    line.edit(session, label, replace(step, mask=None if whole else Mask(joints=reached, edge=edge)))
