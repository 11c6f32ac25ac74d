"""Where one looks when a take becomes another, and what else follows from an edit."""

from __future__ import annotations

from dataclasses import replace

from reflexa.project.store import Project
from reflexa.session.selection import RESULT, SOURCE, Place
from reflexa.steps import Step, where_it_acts
from reflexa.steps.correction import all_keys, layer_of
from reflexa.take import Evaluation, Source, Take


def inside(place: Place, take: Take) -> Place:
    """A place without what the take has not (any more)."""
    if place.card not in (SOURCE, RESULT) and take.step(place.card) is None:
        place = replace(place, card=RESULT, keys=frozenset())
    if place.view_point not in (SOURCE, RESULT) and take.step(place.view_point) is None:
        place = replace(place, view_point=RESULT)
    if place.prop and take.stage.prop(place.prop) is None:
        place = replace(place, prop="")
    if place.keys:
        layer = layer_of(take.step(place.card))
        known = all_keys(layer) if layer is not None else set()
        place = replace(place, keys=place.keys & known)
    return place


def alike(a: Source, b: Source) -> bool:
    """Is what was computed of one source still worth looking at while another is computed? Of segments that are being edited
    it is."""
    return a == b or (a.file == b.file and bool(a.segments) and bool(b.segments))


def only_step_changed(before: Take | None, now: Take | None, step_id: str) -> bool:
    """True if two values of a take differ in one step at most, and in nothing that it or another step reads."""
    step = before.step(step_id) if before is not None else None
    if before is None or now is None or step is None or len(before.steps) != len(now.steps):
        return False
    return replace(now, steps=tuple(step if s.id == step_id else s for s in now.steps)) == before


def listed(project: Project) -> tuple[object, ...]:
    """What lists of the project show."""
    return project.takes, project.sources, project.name, project.rigs, project.recipes


def moment(line: Evaluation | None, frame: int, before: str, now: str) -> int:
    """The frame that stands after one card for what a frame is after another: the same moment."""
    return frame if line is None else line.moment(frame, line.after(before), line.after(now))


def acting(line: Evaluation | None, step: Step | None) -> Step | None:
    """A step with its frames where it acts, which is elsewhere than written where the event is to which it is tied."""
    at = line.take.index(step.id) if line is not None and step is not None else -1
    return where_it_acts(step, line.clips[at]) if line is not None and step is not None and at >= 0 else step


def same_time(line: Evaluation | None, a: str, b: str) -> bool:
    """True if two cards have the same time axis."""
    return line is None or line.same_time(line.after(a), line.after(b))


def range_in(take: Take | None, frames: int) -> tuple[int, int]:
    """First and last frame of what a take hands over, inside so many frames; all of them where there is no take."""
    last = frames - 1
    if take is None:
        return 0, last
    first = min(take.export.first, last)
    return first, max(first, last if take.export.last is None else min(take.export.last, last))
