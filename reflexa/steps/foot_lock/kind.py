"""Foot lock as a kind of step: how a hand begins it, and what it reports."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import msgspec
import numpy as np

from reflexa.motion.clip import Clip
from reflexa.motion.contact import all_moved
from reflexa.rig.foot_rest import as_seen
from reflexa.steps.foot_lock.find import Contacts, contacts_of
from reflexa.steps.foot_lock.outlines import outlines
from reflexa.steps.foot_lock.report import FootLockReport, added_acceleration, held, traces
from reflexa.steps.foot_lock.settings import FootLockSettings
from reflexa.steps.foot_lock.step import held as with_contacts_held
from reflexa.steps.model import Beginning, Context, Given, Outcome, StepKind
from reflexa.steps.registry import kind_of


def _run(given: Given, settings: FootLockSettings, context: Context) -> Outcome:
    contacts, after = settled(given, settings, context)
    return given.changed(after, lambda now: _report(given, now, contacts, context))


# Held feet come to stand where they did not before, and elsewhere no longer: so often at most it is looked again, until all is
# within so many metres of where it was.
_ROUNDS, _SAME = 8, 2.5e-4


def settled(given: Given, settings: FootLockSettings, context: Context) -> tuple[Contacts, Clip]:
    """The contacts of a clip, and the clip with them held: to a point at which it is the same once more. Raises RecipeError."""
    contacts = contacts_of(given.clip, given.rig, settings, context)
    after = with_contacts_held(given, contacts, settings, context.stage)
    if not settings.find or settings.look_at != "this motion" or not given.wholly:
        return contacts, after
    settings = msgspec.structs.replace(settings, level=False)  # it has been put down
    for _ in range(_ROUNDS):
        now = replace(given, clip=after)
        again = contacts_of(after, given.rig, settings, context)
        further = with_contacts_held(now, again, settings, context.stage)
        if further is after or np.abs(further.model[1] - after.model[1]).max() < _SAME:
            return contacts, further if again == contacts else after
        contacts, after = again, further
    return contacts, after


def _report(given: Given, after: Clip, contacts: Contacts, context: Context) -> FootLockReport:
    before, stage = given.clip, context.stage
    rig = as_seen(before, given.rig)
    return FootLockReport(
        contacts,
        tuple(held(before, rig, p, stage) for p in contacts),
        tuple(held(after, rig, p, stage) for p in contacts),
        added_acceleration(before, after, rig, contacts),
        traces(before, rig, stage),
        outlines(after, rig, contacts),
    )


def _reads(settings: FootLockSettings, context: Context) -> list[str]:
    looked = [context.earlier[0].clip.digest] if settings.find and settings.look_at == "the source" else []
    return [context.stage.digest, *looked]


def _begin(at: Beginning) -> dict[str, Any]:
    """Where a step before makes standing feet slide, where they stood at first tells where they are to stand."""
    slid = ((kind_of(s.kind).slides, s) for s in at.before if s.acts)
    return {"look_at": "the source"} if any(slides is not None and slides(s.settings) for slides, s in slid) else {}


def _upgraded(plain: dict[str, Any]) -> dict[str, Any]:
    """The shortest contact was once told in frames, for clips of 30 a second."""
    rest = {k: v for k, v in plain.items() if k != "least"}
    least = plain.get("least")
    return {"shortest": least / 30, **rest} if isinstance(least, int) else rest


KIND = StepKind(
    "foot-lock",
    "Foot lock",
    "Hold feet (and hands) still during their contacts, on the ground or on props. Legs and pelvis adapt.",
    FootLockSettings,
    _run,
    place=50,
    group="ground",
    fixes=70,
    weighs_itself=True,
    was=("plants",),
    settings_were={"plants": "contacts"},
    upgraded=_upgraded,
    reads=_reads,
    begin=_begin,
    shifted=lambda s, by: msgspec.structs.replace(s, contacts=all_moved(s.contacts, by)),
    summary=lambda settings: "" if settings.find else f"{len(settings.contacts)} set by hand",
)
