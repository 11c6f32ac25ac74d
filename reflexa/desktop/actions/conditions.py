"""What commands need: each gives the reason why it is not so, or an empty text."""

from __future__ import annotations

from reflexa.desktop.actions.desk import Desk


def take(d: Desk) -> str:
    return "" if d.session.take is not None else "no take is open"


def result(d: Desk) -> str:
    return "" if d.session.computed.result is not None else "there is no result yet"


def step(d: Desk) -> str:
    return "" if d.session.step is not None else "select a step in the step list first"


def layer(d: Desk) -> str:
    return "" if d.session.layer is not None else "select a correction in the step list first"


def keys(d: Desk) -> str:
    return "" if d.session.selection.keys else "select keys in the time area first"


def copied_keys(d: Desk) -> str:
    # Whether there are any on the system's clipboard is not asked all the time: another program may have to answer.
    return take(d)


def joint(d: Desk) -> str:
    rig = d.session.computed.rig
    known = rig is not None and d.session.selection.joint in rig.skeleton.index
    return "" if known else "select a joint first"


def rig(d: Desk) -> str:
    return "" if d.session.computed.rig is not None else "no take is open"


def prop(d: Desk) -> str:
    return "" if d.session.selection.prop else "select a prop first"


def chosen_clips(d: Desk) -> str:
    return "" if d.clip_panel.chosen() else "select clips in the Clips view first"


def takes(d: Desk) -> str:
    return "" if d.session.project.takes else "there are no takes"


def findings(d: Desk) -> str:
    return "" if d.session.evaluator.judgement.count else "nothing is found in the result"


def accepted(d: Desk) -> str:
    take = d.session.take
    return "" if take is not None and take.accepted else "no finding is accepted"


def repairs(d: Desk) -> str:
    found = (f for g in d.session.evaluator.judgement.groups if not g.accepted for f in g.findings)
    return "" if any(f.repair is not None for f in found) else "no finding can be fixed by a step"


def views(d: Desk) -> str:
    take = d.session.take
    return "" if take is not None and take.views else "this take has no saved view yet"
