"""Layers made of layers, and of motion: split, extracted, merged. What takes time is computed off the interface thread, and
lands only where nothing else was done meanwhile."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from msgspec.structs import replace

from reflexa.motion.clip import Clip
from reflexa.rig import Rig
from reflexa.session import line
from reflexa.session.selection import RESULT, SOURCE
from reflexa.session.session import Session
from reflexa.session.work import Job
from reflexa.steps import Step, make
from reflexa.steps.correction import KIND, CorrectionSettings, all_keys, layer_of
from reflexa.steps.correction.layers import Merged, extracted, merged, split_off
from reflexa.steps.helper_joints import uncarried
from reflexa.take import Take, edits
from reflexa.words import counted

# What a merge may be off by at any frame, unless a key on every frame is asked for.
MOST_DEGREES, MOST_MM = 0.5, 1.0


def _layer(name: str, settings: CorrectionSettings) -> Step:
    return replace(make(KIND.kind, name), settings=settings)


def split(session: Session) -> None:
    """The selected joint's keys into a layer of their own, behind this one: together they do what it did."""
    take, step, layer, joint = session.take, session.step, session.layer, session.selection.joint
    if take is None or step is None or layer is None:
        return
    rest, own = split_off(layer, {joint})
    new = edits.named_step(take, _layer(f"{step.name}: {joint}", own))
    new = replace(new, weight=step.weight, envelope=step.envelope, mask=step.mask, on=step.on)
    kept = line.attempted(session, lambda: edits.with_step(take, replace(step, settings=rest)))
    if kept is not None:
        session.edit_take(f"move {joint} into its own layer", edits.insert_step(kept, session.index + 1, new))


@dataclass(frozen=True)
class Spot:
    """Where new layers go in: behind how many steps, and the clip that stands there."""

    at: int
    clip: Clip


def spot_for(session: Session) -> Spot | None:
    """Behind the selected card, at the end on the result; None where the rig there lacks the selected joint, or while it is
    computed."""
    take, line_, card = session.take, session.computed.settled, session.selection.card
    if take is None or line_ is None:
        return None
    at = {SOURCE: 0, RESULT: len(take.steps)}.get(card, session.index + 1)
    clip = line_.clips[at]
    return Spot(at, clip) if session.selection.joint in clip.skeleton.index else None


def extract(session: Session, below: bool = False) -> None:
    """The motion that the selected joint (and all below it) has after the selected card: held still, and added again."""
    spot, take, line_, joint = spot_for(session), session.take, session.computed.settled, session.selection.joint
    if spot is None or take is None or line_ is None:
        return
    clip, rig, at = spot.clip, line_.rigs[spot.at], spot.at
    j = clip.skeleton.index[joint]
    joints = [clip.skeleton.names[k] for k in (clip.skeleton.below(j) if below else [j])]

    def done(layers: tuple[CorrectionSettings, CorrectionSettings]) -> None:
        hold, motion = (_layer(f"{n} {joint}", s) for n, s in zip(("Hold", "Motion of"), layers, strict=True))
        new = edits.insert_step(take, at, edits.named_step(take, hold))
        new = edits.insert_step(new, at + 1, edits.named_step(new, motion))
        session.edit_take(f"extract the motion of {joint} into a layer", new, card=motion.id)
        session.said.emit(
            f"One layer holds {counted(len(joints), 'joint')}, and the next layer contains the motion: change or "
            "weaken that one."
        )

    _start(session, take, lambda: extracted(clip, rig, joints), done)


def _start(session: Session, take: Take, call: Callable[[], object], done: Callable[..., None]) -> None:
    job: Job[object] = Job(lambda _: call(), done)
    job.lands = lambda: session.take is take
    session.work.start(job)


@dataclass(frozen=True, eq=False)
class StepSpan:
    """Steps that one layer is to stand for, and the clips before and after them."""

    take: Take
    first: str
    last: str
    below: Clip
    above: Clip
    rig: Rig
    steps: tuple[Step, ...]

    @property
    def keyed(self) -> list[int]:
        """The frames that have keys in them, rising."""
        layers = [layer for s in self.steps if (layer := layer_of(s)) is not None]
        return sorted({f for layer in layers for _, f in all_keys(layer)})


def span_of(session: Session, count: int) -> StepSpan | None:
    """The last ``count`` steps up to the selected one; None where there are none, or while they are computed."""
    take, line_, last = session.take, session.computed.settled, session.index
    first = last - count + 1
    if take is None or line_ is None or first < 0:
        return None
    steps = take.steps[first : last + 1]
    below, above, rig = line_.clips[first], line_.clips[last + 1], line_.rigs[first]
    return StepSpan(take, steps[0].id, steps[-1].id, below, above, rig, steps)


def find(session: Session, span: StepSpan, every_frame: bool, done: Callable[[Merged], None]) -> None:
    """Find the layer that does what the steps do, as exactly as a merge may be off or with a key on every frame."""

    def call() -> Merged:
        # Helper joints are carried along by the new layer as they were by the old ones: they need no keys.
        above = uncarried(span.below, span.above, span.rig)
        return merged(span.below, above, span.keyed, MOST_DEGREES, MOST_MM, every_frame)

    _start(session, span.take, call, done)


def put(session: Session, span: StepSpan, found: Merged) -> None:
    """Put the layer that was found in the place of the steps."""
    take = span.take
    if session.take is not take:
        return
    old = take.steps[take.index(span.first)]
    new = _layer(old.name, found.settings)
    label = f"merge onto {old.name}" if span.first != span.last else f"convert {old.name} to a layer"
    made = line.attempted(session, lambda: edits.replace_steps(take, span.first, span.last, new))
    if made is not None:
        session.edit_take(label, made, card=new.id)
