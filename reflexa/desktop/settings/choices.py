"""What there is to choose from for settings that name something: rigs, clips, limbs, props, joints, steps."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from reflexa.rig.aim_axis import looks
from reflexa.session import SOURCE, Session
from reflexa.take.clips import TAKE

Choice = tuple[str, str]


def _rigs(session: Session) -> list[Choice]:
    own = session.computed.step_rig
    return [("choose…", ""), *((f, f) for f, rig in session.rigs.items() if own is None or rig.key != own.key)]


def clip_choices(session: Session) -> list[Choice]:
    own = f"{TAKE}{session.selection.take}"
    names = [n for n in session.clips if n != own]
    return [("choose…", ""), *((_clip(n), n) for n in names)]


def _clip(name: str) -> str:
    """A clip with what tells it from others first: its own name."""
    if name.startswith(TAKE):
        return f"{name.removeprefix(TAKE)} (take)"
    file, _, clip = name.partition("/")
    return f"{clip or file} · {Path(file).stem}"


def _limbs(session: Session) -> list[Choice]:
    rig = session.computed.step_rig
    if rig is None:
        return []
    ends = [end for end in ("left hand", "right hand", "left foot", "right foot") if rig.limb(end) is not None]
    ends += ["head"] if rig.joint("head") >= 0 else []
    tips = [c[-1] for c in rig.chains.values() if rig.chain_to(c[-1])]
    eyes = [n for n in rig.skeleton.names if looks(rig, n) and "eye" in n.lower()]
    return [(e.capitalize(), e) for e in [*ends, *eyes]] + [(f"{t} (end of a chain)", t) for t in tips]


def _chains(session: Session) -> list[Choice]:
    rig, joint = session.computed.step_rig, session.selection.joint
    if rig is None:
        return []
    found = [(name.capitalize(), name) for name in rig.chains]
    parts = [p for p in ("spine", "neck", "left upper arm", "right upper arm", "head") if rig.joint(p) >= 0]
    found += [(f"From the {p} down", p) for p in parts]
    if joint in rig.skeleton.index and joint not in [data for _, data in found]:
        found.append((f"From {joint} down", joint))
    return [("choose…", ""), *found]


def _props(session: Session) -> list[Choice]:
    props = session.stage.props
    return [("choose…" if props else "none on the stage yet", ""), *((p.name, p.name) for p in props)]


def _grips(session: Session) -> list[Choice]:
    """Those of the prop that the same settings name."""
    named = getattr(session.step.settings, "prop", "") if session.step is not None else ""
    prop = session.stage.prop(named)
    return [("the prop itself", ""), *((g.name, g.name) for g in (prop.grips if prop else ()))]


def _joints(session: Session) -> list[Choice]:
    rig = session.computed.step_rig
    return [("choose…", ""), *((n, n) for n in (rig.skeleton.names if rig else ()))]


def _steps(session: Session) -> list[Choice]:
    before = session.take.steps[: max(session.index, 0)] if session.take else ()
    return [("the step just before", ""), ("the source", SOURCE), *((f"before {s.name}", s.id) for s in before)]


def _tracks(session: Session) -> list[Choice]:
    below = session.computed.below
    names = [t.name for t in below.tracks] if below is not None else []
    meshes = session.computed.step_rig.meshes if session.computed.step_rig is not None else ()
    names += [name for mesh in meshes for name, _ in mesh.shapes]
    return [("choose…" if names else "the clip and its model have none", ""), *((n, n) for n in dict.fromkeys(names))]


CHOICES: dict[str, Callable[[Session], list[Choice]]] = {
    "rig": _rigs, "clip": clip_choices, "limb": _limbs, "chain": _chains, "prop": _props, "grip": _grips, "joint": _joints,
    "step": _steps, "track": _tracks,
}  # fmt: skip
