"""What a person does with findings: go to one, see who brought it in, put up with it, have it fixed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from reflexa.checks import Finding, accepted
from reflexa.checks.judging.one_step import one_step
from reflexa.checks.model import Repair
from reflexa.session.selection import RESULT, SOURCE
from reflexa.session.session import Session
from reflexa.steps import kind_of
from reflexa.take import Accepted
from reflexa.take.edits import insert_step, named_step
from reflexa.words import counted


def in_order(session: Session) -> list[Finding]:
    """Those that are not accepted, in order of time."""
    found = [f for g in session.evaluator.judgement.groups if not g.accepted for f in g.findings]
    return sorted(found, key=lambda f: (f.worst, f.kind, f.joint))


def go_to(session: Session, f: Finding) -> None:
    """Look at the result where a finding is worst, at its joint."""
    session.player.pause()
    if not session.computed.by_result or session.selection.view_point != RESULT:
        session.selection.set_view_point(RESULT)
    if f.joint:
        session.selection.select_joint(f.joint)
    session.player.set_frame(f.worst)


def next_from(session: Session, by: int) -> Finding | None:
    """The next finding behind the playhead, or before it (by -1); round the clip's ends. None where there is none."""
    found = in_order(session)
    if not found:
        return None
    now = session.player.frame
    others = [f for f in found if (f.worst > now if by > 0 else f.worst < now)]
    if others:
        return others[0] if by > 0 else others[-1]
    return found[0] if by > 0 else found[-1]


def name_of(session: Session, step_id: str) -> str:
    """What a person calls the card that brought something in."""
    if step_id == SOURCE:
        return "the source"
    step = session.take.step(step_id) if session.take is not None else None
    return step.name if step is not None else ""


def show_blame(session: Session, f: Finding) -> None:
    """Select the step that brought a finding in, and look at what it made of the pose, where the finding is worst."""
    line, judged = session.computed.evaluation, session.evaluator.judgement.judged
    if line is None or not f.step:
        return
    go_to(session, f)
    if f.step == SOURCE:
        session.selection.select_card(SOURCE)
        return
    # By the time of the step: it may have been brought in before time was changed.
    own = next((b for b in judged.brought.get(f.step, ()) if b.kind == f.kind and b.joint == f.joint), None)
    session.selection.select_card(f.step)
    session.selection.set_view_point(f.step)
    session.selection.comparing.emit("One step")
    at = line.moment(f.worst, len(line.clips) - 1, line.after(f.step))
    session.player.set_frame(at if own is None or abs(own.worst - at) <= 2 else own.worst)


def show_brought(session: Session, step_id: str) -> None:
    """Look at the worst of what a step brought in, or fixed, before the step and after it."""
    line, judged = session.computed.evaluation, session.evaluator.judgement.judged
    brought, fixed = judged.brought.get(step_id, ()), judged.fixed.get(step_id, ())
    if line is None or not (brought or fixed):
        return
    worst = max(brought or fixed, key=lambda f: f.weight)
    session.player.pause()
    session.selection.select_card(step_id)
    session.selection.set_view_point(step_id)
    session.selection.comparing.emit("One step")
    if worst.joint:
        session.selection.select_joint(worst.joint)
    at = line.after(step_id)
    # What was fixed is told by the time of the clip before.
    session.player.set_frame(worst.worst if brought else line.moment(worst.worst, at - 1, at))


def accept(session: Session, found: Iterable[Finding], reason: str) -> None:
    """Put up with findings, and say why: they are shown as accepted, and counted no longer."""
    take, new = session.take, list(found)
    if take is None or not new:
        return
    more = tuple(Accepted(f.kind, f.joint, *f.frames, reason) for f in new if not accepted(f, take.accepted))
    session.edit_take(
        "accept findings" if len(more) > 1 else "accept finding", replace(take, accepted=(*take.accepted, *more))
    )


def withdraw(session: Session, found: Iterable[Finding]) -> None:
    """Put up with findings no longer."""
    take = session.take
    if take is None:
        return
    kept = tuple(a for a in take.accepted if not any(accepted(f, (a,)) for f in found))
    if kept != take.accepted:
        session.edit_take("remove acceptance of findings", replace(take, accepted=kept))


def repair_all(session: Session, found: Iterable[Finding]) -> None:
    """Add the steps that repair several findings, those of one kind as one where that can be: big things before small ones, and
    one undo."""
    take, line = session.take, session.computed.evaluation
    groups: dict[tuple[str, str], list[Repair]] = {}
    for f in found:
        if f.repair is not None:
            groups.setdefault((f.repair.kind, f.repair.title), []).append(f.repair)
    if take is None or line is None or not groups:
        return
    now, count = take, 0
    for _, repairs in sorted(groups.items(), key=lambda g: kind_of(g[0][0]).fixes):
        different = [r for i, r in enumerate(repairs) if r not in repairs[:i]]
        one = one_step(different, line.result)
        for each in [one] if one is not None else different:
            now = insert_step(now, len(now.steps), named_step(now, each.step()))
            count += 1
    what = f"add {now.steps[-1].name}" if count == 1 else f"add {counted(count, 'step')} that fix findings"
    if session.edit_take(what, now):
        session.selection.set_view_point(RESULT)


def repair(session: Session, f: Finding) -> None:
    """Add the step that repairs a finding at the end of the line, with the settings that fit."""
    take = session.take
    if take is None or f.repair is None:
        return
    step = named_step(take, f.repair.step())
    if session.edit_take(f"add {step.name}", insert_step(take, len(take.steps), step), card=step.id):
        session.selection.set_view_point(RESULT)
