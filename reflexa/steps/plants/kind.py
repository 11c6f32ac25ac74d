"""Plants as a kind of step: how a hand begins it, and what it reports."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import msgspec
import numpy as np

from reflexa.motion.clip import Clip
from reflexa.rig.foot_rest import as_seen
from reflexa.steps.model import Beginning, Context, Given, Outcome, StepKind
from reflexa.steps.plants.find import Plants, plants_of
from reflexa.steps.plants.outlines import outlines
from reflexa.steps.plants.report import PlantsReport, added_acceleration, held, traces
from reflexa.steps.plants.settings import PlantsSettings
from reflexa.steps.plants.step import held as with_plants_held
from reflexa.steps.registry import kind_of


def _run(given: Given, settings: PlantsSettings, context: Context) -> Outcome:
    plants, after = settled(given, settings, context)
    return given.changed(after, lambda now: _report(given, now, plants, context))


# Held feet come to stand where they did not before, and elsewhere no longer: so often at most it is looked again, until all is
# within so many metres of where it was.
_ROUNDS, _SAME = 8, 2.5e-4


def settled(given: Given, settings: PlantsSettings, context: Context) -> tuple[Plants, Clip]:
    """The plants of a clip, and the clip with them held: to a point at which it is the same once more. Raises RecipeError."""
    plants = plants_of(given.clip, given.rig, settings, context)
    after = with_plants_held(given, plants, settings, context.stage)
    if not settings.find or settings.look_at != "this motion" or not given.wholly:
        return plants, after
    settings = msgspec.structs.replace(settings, level=False)  # it has been put down
    for _ in range(_ROUNDS):
        now = replace(given, clip=after)
        again = plants_of(after, given.rig, settings, context)
        further = with_plants_held(now, again, settings, context.stage)
        if further is after or np.abs(further.model[1] - after.model[1]).max() < _SAME:
            return plants, further if again == plants else after
        plants, after = again, further
    return plants, after


def _report(given: Given, after: Clip, plants: Plants, context: Context) -> PlantsReport:
    before, stage = given.clip, context.stage
    rig = as_seen(before, given.rig)
    return PlantsReport(
        plants,
        tuple(held(before, rig, p, stage) for p in plants),
        tuple(held(after, rig, p, stage) for p in plants),
        added_acceleration(before, after, rig, plants),
        traces(before, rig, stage),
        outlines(after, rig, plants),
    )


def _reads(settings: PlantsSettings, context: Context) -> list[str]:
    looked = [context.earlier[0].clip.digest] if settings.find and settings.look_at == "the source" else []
    return [context.stage.digest, *looked]


def _begin(at: Beginning) -> dict[str, Any]:
    """Where a step before makes standing feet slide, where they stood at first tells where they are to stand."""
    slid = ((kind_of(s.kind).slides, s) for s in at.before if s.acts)
    return {"look_at": "the source"} if any(slides is not None and slides(s.settings) for slides, s in slid) else {}


def _upgraded(plain: dict[str, Any]) -> dict[str, Any]:
    """The shortest plant was once told in frames, for clips of 30 a second."""
    rest = {k: v for k, v in plain.items() if k != "least"}
    least = plain.get("least")
    return {"shortest": least / 30, **rest} if isinstance(least, int) else rest


KIND = StepKind(
    "plants",
    "Plants",
    "Hold feet (and hands) where they stand: on what lies below them, still, with the legs and the pelvis giving way.",
    PlantsSettings,
    _run,
    place=50,
    weighs_itself=True,
    upgraded=_upgraded,
    reads=_reads,
    begin=_begin,
    summary=lambda settings: "" if settings.find else f"{len(settings.plants)} written down",
)
